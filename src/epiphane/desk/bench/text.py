"""The rows of the bench for text: what it says, how it is set and coloured, how it arrives and leaves."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QPlainTextEdit, QVBoxLayout, QWidget

from epiphane.desk.bench.rows import StructFields
from epiphane.desk.bench.title_look import LookRows, check, show_colour
from epiphane.desk.control.titles import REST_MILLISECONDS, TextDesk
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.look.fields import (
    ColourButton,
    NumberField,
    choice_field,
    label,
    number_field,
    row,
    show_choice,
    show_options,
)
from epiphane.document.ids import FootageId
from epiphane.document.titles import Alignment, FaceAxis, LetterCase, TextFill
from epiphane.edits.titles import FRESH_TEXT
from epiphane.media.faces import installed_faces, shipped_faces
from epiphane.titles.faces import axes_of, face_fault, usual_axes
from epiphane.titles.layout import block_of
from epiphane.titles.moving import MOST_PARTS, unit_that_moves

_FROM_FILE = "from a file"
_NONE = ""


class TextRows(QWidget):
    """A text: that of the selected item, or the words of a lane."""

    def __init__(self, desk: TextDesk) -> None:
        super().__init__()
        self._desk = desk
        self._fields = StructFields(TextFill, desk.change)
        self.words = _WordsField()
        self.words.written.connect(lambda text: desk.change(text=text))
        self.words.rested.connect(desk.end_writing)
        self._missing = label("")
        self._missing.setWordWrap(True)
        self._face = choice_field("Face of the letters", (), self._choose_face)
        self._colour, self._to = ColourButton("Colour of the letters"), ColourButton("Colour at the foot")
        self._colour.picked.connect(lambda text: desk.change(colour=text))
        self._to.picked.connect(lambda text: desk.change(to=text))
        self._has_to = check("fades to", "Let the letters fade to another colour at their foot", self._fade)
        self._clip = choice_field("What is seen through the letters", (), self._choose_clip)
        self._axes = _AxisRows(desk.change)
        self.look = LookRows(desk)
        number, choice = self._fields.number, self._fields.choice
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        for widget in (
            self.words,
            self._missing,
            row("Face", self._face),
            self._axes,
            row(
                "Size",
                number("size", "Size of the letters", "%", factor=100, decimals=1),
                choice("align", "Where lines are flush", [(one, one.value) for one in Alignment]),
                self._fields.check("fits", "fits", "Set it smaller in frames whose safe area it would leave"),
            ),
            row(
                "Tracking",
                number("tracking", "Tracking between letters", "%", factor=100),
                label("leading"),
                number("leading", "Leading of the lines", "%", factor=100),
            ),
            row("Case", choice("case", "Case of the letters", [(one, one.value) for one in LetterCase])),
            row("Colour", self._colour, self._has_to, self._to),
            row("Filled with", self._clip),
            self.look,
        ):
            box.addWidget(widget)

    def show_text(self, fill: TextFill) -> None:
        """Show a text as it is now."""
        self.words.show_words(fill.text)
        block, fault = block_of(fill), face_fault(fill)
        missing = block.missing
        told = [f"No face here has a letter for {' '.join(missing)}."] if missing else []
        told += [f"{fault.rstrip('.')}: other faces show its letters."] if fault else []
        for motion in {fill.arrive, fill.leave} - {None}:
            assert motion is not None
            unit = unit_that_moves(block.letters, motion.unit)
            if unit is not motion.unit:
                most = f"more than {MOST_PARTS} {motion.unit.value}s"
                told.append(f"There are {most}: it moves by the {unit.value}.")
        self._missing.setText(" ".join(dict.fromkeys(told)))
        self._missing.setVisible(bool(told))
        own = [] if fill.file is None else [(fill.file, Path(fill.file).stem)]
        installed = [(name, name) for name in installed_faces() if name not in shipped_faces()]
        faces = [*((name, name) for name in shipped_faces()), *own, (_FROM_FILE, "from a file…"), *installed]
        show_options(self._face, faces)
        show_choice(self._face, fill.face if fill.file is None else fill.file)
        self._fields.show(fill)
        self._colour.set_colour(fill.colour)
        show_colour(self._has_to, self._to, fill.to)
        self._axes.show_axes(fill)
        show_options(self._clip, [(_NONE, "its colour"), *self._desk.clips()])
        show_choice(self._clip, _NONE if fill.footage is None else str(fill.footage))
        self.look.show_look(fill)

    def _choose_face(self, key: str) -> None:
        if key == _FROM_FILE:
            self._desk.ask_face()
        elif key in shipped_faces():
            axes = usual_axes(TextFill("", face=key))
            self._desk.change(face=key, file=None, fingerprint=None, axes=axes)
        elif key in installed_faces():
            self._desk.use_face(installed_faces()[key])

    def _choose_clip(self, key: str) -> None:
        self._desk.change(footage=None if key == _NONE else FootageId(int(key)))

    def _fade(self, is_on: bool) -> None:
        self._desk.change(to="#c8553d" if is_on else None)


class _AxisRows(QWidget):
    """The axes of a variable face, such as its weight; nothing for any other."""

    def __init__(self, change: Callable[..., object]) -> None:
        super().__init__()
        self._change = change
        self._fill: TextFill | None = None
        self._face: object = None
        self._fields: dict[str, NumberField] = {}
        self._lines: list[QWidget] = []
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(5)

    def show_axes(self, fill: TextFill) -> None:
        """Show the axes of the face of a text."""
        axes = axes_of(fill)[:_MOST_AXES]
        if (fill.face, fill.file) != self._face:
            self._face = fill.face, fill.file
            for line in self._lines:
                self._box.removeWidget(line)
                line.deleteLater()
            self._fields, self._lines = {}, []
            for axis in axes:
                field = number_field(
                    f"{axis.name} of the face",
                    low=axis.low,
                    high=axis.high,
                    unit="",
                    step=(axis.high - axis.low) / 50,
                )
                field.edited.connect(lambda value, tag=axis.tag: self._set(tag, value))
                self._fields[axis.tag] = field
                self._lines.append(row(axis.name, field))
                self._box.addWidget(self._lines[-1])
        self._fill = fill
        self.setVisible(bool(axes))
        own = {one.tag: one.value for one in fill.axes}
        for axis in axes:
            self._fields[axis.tag].show_value(round(own.get(axis.tag, axis.default)))

    def _set(self, tag: str, value: float) -> None:
        if self._fill is not None:
            others = (one for one in self._fill.axes if one.tag != tag)
            self._change(axes=(*others, FaceAxis(tag, value)))


_MOST_AXES = 5


class _WordsField(QPlainTextEdit):
    """Lines of text; what is written is taken at once.

    Signals
    -------
    written(text: str)
    rested()
        Nothing more was written for a while, or the keyboard has gone elsewhere.
    """

    written = pyqtSignal(str)
    rested = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("What the text says")
        self.setTabChangesFocus(True)
        self._is_shown = False
        self._resting = debounced(self, REST_MILLISECONDS, self.rested.emit)
        self.textChanged.connect(self._tell)

    def show_words(self, text: str) -> None:
        """Show a text, unless it is just what is being written."""
        if text != self.toPlainText():
            self._is_shown = True
            self.setPlainText(text)
            self._is_shown = False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        if self.toPlainText() == FRESH_TEXT.text:
            self.selectAll()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.rested.emit()

    def _tell(self) -> None:
        if not self._is_shown:
            self.written.emit(self.toPlainText())
            self._resting.start()
