"""The shape of the film: its size and rate, those of most of its footage or chosen."""

from fractions import Fraction

from msgspec.structs import astuple
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.frame_shapes import ASPECTS, ShapeDesk
from epiphane.desk.look import asking
from epiphane.desk.look.fields import button, in_a_row, label
from epiphane.document.project import Project
from epiphane.document.timeline import Shape
from epiphane.edits.footage import shape_by_footage
from epiphane.edits.picture import choose_shape, mix_light, set_shutter_angle
from epiphane.timing import COMMON_RATES, aspect_text, rate_text
from epiphane.wording import tr

_SIZES = (
    (1280, 720),
    (1920, 1080),
    (2560, 1440),
    (3840, 2160),
    (1080, 1920),
    (1080, 1350),
    (1080, 1080),
)
_BY_CLIP = "clip"


class FilmFields(Rows[Project]):
    """Two fields, for the size and the rate, and below them the shapes in which the edit goes out."""

    def __init__(self, editor: Editor, shapes: ShapeDesk) -> None:
        super().__init__()
        self._editor, self._shapes = editor, shapes
        self._size = self.choice(tr("Size of the film"), _size_options, _size_of, self._choose_size)
        self._size.setToolTip(tr("Size of the film: that of most of the footage, unless you choose another"))
        rate = self.choice(
            tr("Rate of the film"), _rate_options, lambda project: str(project.rate), self._choose_rate
        )
        rate.setToolTip(tr("Pictures a second: as most of the footage has, unless you choose others"))
        shape = self.choice(tr("Shape that is shown"), _shape_options, _size_of, self._show_shape)
        shape.setToolTip(
            tr("Shapes in which the edit goes out; each shot is framed anew in each (Shift + Z)")
        )
        remove = button(tr("Delete"), tr("Have the edit go out in this shape no longer"), shapes.remove)
        words = label(tr("seen in"))
        self.seen(lambda project: bool(project.shapes), words, shape, remove)
        self.add(in_a_row(self._size, rate), in_a_row(words, shape), in_a_row(self._add_button(), remove))
        self._add_mixing()

    def _add_mixing(self) -> None:
        """Add how pictures are mixed all over the film, and how long what effects move is blurred."""
        mixes = self.check(
            tr("Mix light"),
            tr(
                "Dissolves, blurs and open shutters mix linear light, as a lens does: lamps stay bright."
                " Off: levels, as in films made before"
            ),
            lambda project: project.in_light,
            self._mix_light,
        )
        shutter = self.number(
            tr("Shutter of the film"),
            lambda project: project.shutter_angle,
            self._set_shutter,
            limits=(Project, "shutter_angle"),
            unit="°",
            step=15,
        )
        shutter.setToolTip(
            tr("All that effects move is blurred by at least this angle: 180 is half a frame, 0 none")
        )
        self.add(in_a_row(label(tr("shutter")), shutter, mixes))

    def take_keyboard(self) -> None:
        """Have keys choose the size."""
        self._size.setFocus()

    def _add_button(self) -> QPushButton:
        made = QPushButton(tr("Add shape"))
        made.setToolTip(tr("Have the edit go out in another shape too, laid about what moves in each shot"))
        menu = QMenu(made)
        for across, down in ASPECTS:
            action = QAction(f"{across}:{down}", menu)
            action.triggered.connect(lambda _checked=False, a=across, d=down: self._shapes.add(a, d))
            menu.addAction(action)
        own = QAction(tr("Own…"), menu)
        own.triggered.connect(self._ask_own)
        menu.addAction(own)
        made.setMenu(menu)
        return made

    def _ask_own(self) -> None:
        project = self._editor.project
        upright = _key((project.height, project.width))
        words = tr("Width and height in pixels, both even:")
        text = asking.ask_text(self, tr("Add a shape"), words, upright)
        if not text:
            return
        sides = text.lower().replace("×", "x").split("x")
        if len(sides) == 2 and all(side.strip().isdecimal() for side in sides):
            self._shapes.add_own(int(sides[0]), int(sides[1]))
        else:
            self._editor.said.emit(tr("A shape is written as 1080x1350, got {words}", words=text[:40]), True)

    def _show_shape(self, key: str) -> None:
        width, height = (int(side) for side in key.split("x"))
        self._shapes.show(Shape(width, height))

    def _mix_light(self, in_light: bool) -> None:
        self._editor.apply(lambda project: mix_light(project, in_light=in_light), tr("mixing of light"))

    def _set_shutter(self, angle: float) -> None:
        self._editor.apply(lambda project: set_shutter_angle(project, angle), tr("shutter of the film"))

    def _choose_size(self, key: str) -> None:
        if key == _BY_CLIP:
            self._editor.apply(shape_by_footage, tr("shape of the film"))
        else:
            width, height = (int(side) for side in key.split("x"))
            self._apply(width, height, self._editor.project.rate)

    def _choose_rate(self, key: str) -> None:
        project = self._editor.project
        self._apply(project.width, project.height, Fraction(key))

    def _apply(self, width: int, height: int, rate: Fraction) -> None:
        def edit(project: Project) -> Project:
            return choose_shape(project, width=width, height=height, rate=rate)

        self._editor.apply(edit, tr("shape of the film"))


def _key(size: tuple[int, int]) -> str:
    return f"{size[0]}x{size[1]}"


def _size_text(size: tuple[int, int]) -> str:
    form = "" if size[0] > size[1] else tr(", square") if size[0] == size[1] else tr(", upright")
    return f"{size[0]} × {size[1]}{form}"


def _size_of(project: Project) -> str:
    return _key((project.width, project.height))


def _size_options(project: Project) -> list[tuple[str, str]]:
    # One that is not among the usual ones comes last: no other changes its place when it is chosen.
    sizes = dict.fromkeys([*_SIZES, (project.width, project.height)])
    options = [(_key(size), _size_text(size)) for size in sizes]
    return [*options, (_BY_CLIP, tr("As most of the footage"))] if project.is_shape_chosen else options


def _rate_options(project: Project) -> list[tuple[str, str]]:
    rates = sorted({project.rate, *COMMON_RATES})
    return [(str(rate), tr("{rate} fps", rate=rate_text(rate))) for rate in rates]


def _shape_options(project: Project) -> list[tuple[str, str]]:
    sizes = [astuple(one) for one in project.shapes or (project.shape,)]
    names = [aspect_text(*one) for one in sizes]
    return [
        (_key(one), tr("{name}, {one} wide", name=name, one=one[0]) if names.count(name) > 1 else name)
        for name, one in zip(names, sizes, strict=True)
    ]
