"""The shape of the film: its size and rate, those of the first clip or chosen."""

from fractions import Fraction

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from epiphane.desk.bench.fields import choice_field, show_choice, show_options
from epiphane.desk.control.editor import Editor
from epiphane.document.project import Project
from epiphane.edits.footage import shape_by_clip
from epiphane.edits.picture import choose_shape
from epiphane.timing import COMMON_RATES, rate_text

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


class FilmFields(QWidget):
    """Two fields, for the size and the rate."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._size = choice_field("Size of the film", [], self._choose_size)
        self._size.setToolTip("Size of the film: that of the first clip, unless you choose another")
        self._rate = choice_field("Rate of the film", [], self._choose_rate)
        self._rate.setToolTip("Pictures a second: those of the first clip, unless you choose others")
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self._size)
        box.addWidget(self._rate)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show size and rate as they are now."""
        project = self._editor.project
        now = (project.width, project.height)
        # One that is not among the usual ones comes last: no other changes its place when it is chosen.
        sizes = [(_key(size), _size_text(size)) for size in dict.fromkeys([*_SIZES, now])]
        if project.is_shape_chosen:
            sizes.append((_BY_CLIP, "As the first clip"))
        show_options(self._size, sizes)
        show_choice(self._size, _key(now))
        rates = sorted({project.rate, *COMMON_RATES})
        show_options(self._rate, [(str(rate), f"{rate_text(rate)} fps") for rate in rates])
        show_choice(self._rate, str(project.rate))

    def _choose_size(self, key: str) -> None:
        if key == _BY_CLIP:
            self._editor.apply(shape_by_clip, "shape of the film")
        else:
            width, height = (int(side) for side in key.split("x"))
            self._apply(width, height, self._editor.project.rate)

    def _choose_rate(self, key: str) -> None:
        project = self._editor.project
        self._apply(project.width, project.height, Fraction(key))

    def _apply(self, width: int, height: int, rate: Fraction) -> None:
        def edit(project: Project) -> Project:
            return choose_shape(project, width=width, height=height, rate=rate)

        self._editor.apply(edit, "shape of the film")


def _key(size: tuple[int, int]) -> str:
    return f"{size[0]}x{size[1]}"


def _size_text(size: tuple[int, int]) -> str:
    form = "" if size[0] > size[1] else ", square" if size[0] == size[1] else ", upright"
    return f"{size[0]} × {size[1]}{form}"
