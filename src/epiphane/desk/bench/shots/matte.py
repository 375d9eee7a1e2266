"""The rows of the bench for the matte of a shot: how its subject is told, its edge, and making it."""

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.mattes import MatteDesk
from epiphane.desk.look.fields import button, label
from epiphane.document.matte import Matte, MatteKind
from epiphane.document.timeline import Item
from epiphane.wording import tr

_NONE = ""
_WAYS = (
    (_NONE, tr("not told apart")),
    (MatteKind.TRACED.value, tr("traced from marks")),
    (MatteKind.LUMA.value, tr("what is bright")),
    (MatteKind.COLOUR.value, tr("what is unlike a colour")),
    (MatteKind.DIFFERENCE.value, tr("what is not in a clean picture")),
)


class MatteRows(Rows[Item]):
    """The matte of the selected shot."""

    def __init__(self, editor: Editor, desk: MatteDesk) -> None:
        super().__init__()
        self._editor = editor
        fields = self.fields(Matte, desk.change, lambda shot: shot.matte)
        self.kind = self.choice(
            tr("How the subject is told apart"),
            _WAYS,
            lambda shot: _NONE if shot.matte is None else shot.matte.kind.value,
            lambda key: desk.choose(None if key == _NONE else MatteKind(key)),
        )
        self.mark = self.switch(
            tr("Mark"),
            tr(
                "Drag a box around the subject on the picture, then strokes over it;"
                " with Ctrl beside it, with Shift a new box"
            ),
            lambda _: desk.is_marking,
            desk.set_marking,
            is_quiet=False,
        )
        clear = button(tr("Clear"), tr("Take away what was marked"), desk.clear)
        self.make = button(tr("Make"), tr("Make the matte in the background"), desk.make)
        colour = self.colour(
            tr("Colour behind the subject"),
            lambda shot: None if shot.matte is None else shot.matte.colour,
            lambda text: desk.change(colour=text),
        )
        clean = button(
            tr("This picture"), tr("Let the picture at the playhead be the clean one"), desk.take_clean
        )
        number = fields.number
        self.row(tr("Subject"), self.kind)
        self.row("", self.mark, clear, when=lambda shot: _kind_of(shot) is MatteKind.TRACED)
        self.row(
            tr("From, to"),
            number("low", tr("Where the subject begins"), "%", factor=100),
            number("high", tr("Where the subject is whole"), "%", factor=100),
            when=lambda shot: _kind_of(shot) not in (None, MatteKind.TRACED),
        )
        self.row(tr("Colour"), colour, when=lambda shot: _kind_of(shot) is MatteKind.COLOUR)
        self.row(tr("Clean"), clean, when=lambda shot: _kind_of(shot) is MatteKind.DIFFERENCE)
        self.row(
            tr("Edge"),
            number("feather", tr("Feather of the matte"), "%", factor=100, decimals=1, step=0.1),
            label(tr("outwards")),
            number("grow", tr("How far its edge is moved outwards"), "%", factor=100, decimals=1, step=0.1),
            when=_has_matte,
        )
        inverted = fields.check("is_inverted", tr("inverted"), tr("Let the subject be what is not"))
        self.row("", inverted, self.make, when=_has_matte)
        self.add(self.told(lambda _: desk.told()), when=_has_matte)
        desk.changed.connect(self._on_change)

    def _on_change(self) -> None:
        shot = self._editor.chosen.shot
        if shot is not None:
            self.show_thing(shot)


def _kind_of(shot: Item) -> MatteKind | None:
    return None if shot.matte is None else shot.matte.kind


def _has_matte(shot: Item) -> bool:
    return shot.matte is not None
