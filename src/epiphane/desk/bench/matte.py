"""The rows of the bench for the matte of a shot: how its subject is told, its edge, and making it."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.mattes import MatteDesk
from epiphane.desk.look.fields import ColourButton, button, choice_field, label, row, show_choice
from epiphane.document.matte import Matte, MatteKind

_NONE = ""
_WAYS = (
    (_NONE, "not told apart"),
    (MatteKind.TRACED.value, "traced from marks"),
    (MatteKind.LUMA.value, "what is bright"),
    (MatteKind.COLOUR.value, "what is unlike a colour"),
    (MatteKind.DIFFERENCE.value, "what is not in a clean picture"),
)


class MatteRows(QWidget):
    """The matte of the selected shot."""

    def __init__(self, editor: Editor, desk: MatteDesk) -> None:
        super().__init__()
        self._editor, self._desk = editor, desk
        fields = self._fields = StructFields(Matte, desk.change)
        self.kind = choice_field("How the subject is told apart", _WAYS, self._choose)
        self.mark = button(
            "Mark",
            "Drag a box around the subject on the picture, then strokes over it;"
            " with Ctrl beside it, with Shift a new box",
            lambda: desk.set_marking(self.mark.isChecked()),
        )
        self.mark.setCheckable(True)
        clear = button("Clear", "Take away what was marked", desk.clear)
        self.make = button("Make", "Make the matte in the background", desk.make)
        self._colour = ColourButton("Colour behind the subject")
        self._colour.picked.connect(lambda text: desk.change(colour=text))
        clean = button("This picture", "Let the picture at the playhead be the clean one", desk.take_clean)
        self._told = label("")
        self._told.setWordWrap(True)
        number = fields.number
        self._marks = row("", self.mark, clear)
        self._levels = row(
            "From, to",
            number("low", "Where the subject begins", "%", factor=100),
            number("high", "Where the subject is whole", "%", factor=100),
        )
        self._colours, self._clean = row("Colour", self._colour), row("Clean", clean)
        self._edge = [
            row(
                "Edge",
                number("feather", "Feather of the matte", "%", factor=100, decimals=1, step=0.1),
                label("outwards"),
                number("grow", "How far its edge is moved outwards", "%", factor=100, decimals=1, step=0.1),
            ),
            row("", fields.check("is_inverted", "inverted", "Let the subject be what is not"), self.make),
        ]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        for widget in (
            row("Subject", self.kind),
            self._marks,
            self._levels,
            self._colours,
            self._clean,
            *self._edge,
            self._told,
        ):
            box.addWidget(widget)
        desk.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the matte as it is now."""
        shot = self._editor.selected_shot()
        matte = None if shot is None else shot.matte
        kind = None if matte is None else matte.kind
        show_choice(self.kind, _NONE if kind is None else kind.value)
        self._marks.setVisible(kind is MatteKind.TRACED)
        self._levels.setVisible(kind is not None and kind is not MatteKind.TRACED)
        self._colours.setVisible(kind is MatteKind.COLOUR)
        self._clean.setVisible(kind is MatteKind.DIFFERENCE)
        for widget in (*self._edge, self._told):
            widget.setVisible(matte is not None)
        self.mark.setChecked(self._desk.is_marking)
        self._told.setText(self._desk.told())
        if matte is not None:
            self._fields.show(matte)
            self._colour.set_colour(matte.colour)

    def _choose(self, key: str) -> None:
        self._desk.choose(None if key == _NONE else MatteKind(key))
