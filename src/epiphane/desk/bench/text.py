"""The rows of the bench for text: what it says, how it is set and coloured, how it arrives and leaves."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QCheckBox, QPlainTextEdit, QVBoxLayout, QWidget

from epiphane.desk.bench.fields import (
    ColourButton,
    choice_field,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.titles import TextDesk
from epiphane.desk.engine.debounce import debounced
from epiphane.document.text import (
    Alignment,
    LetterCase,
    Shadow,
    TextFill,
    TextMotion,
    TextOrder,
    TextUnit,
)
from epiphane.edits.text import FRESH_TEXT
from epiphane.media.faces import shipped_faces
from epiphane.titles.layout import block_of
from epiphane.titles.motions.declare import MOTIONS

_REST_MILLISECONDS = 1200
_FROM_FILE = "from a file"
_NONE = ""
_GLOW = Shadow("#ffd9a0", 0.9, 0.2, 0.0, 0.0)


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
        self._outline, self._plate = (
            ColourButton("Colour of the outline"),
            ColourButton("Colour of the plate"),
        )
        self._shadow, self._glow = ColourButton("Colour of the shadow"), ColourButton("Colour of the glow")
        self._colour.picked.connect(lambda text: desk.change(colour=text))
        self._to.picked.connect(lambda text: desk.change(to=text))
        self._outline.picked.connect(lambda text: desk.change(outline_colour=text))
        self._plate.picked.connect(lambda text: desk.change(plate=text))
        self._shadow.picked.connect(self._colour_shadow)
        self._glow.picked.connect(self._colour_glow)
        self._has_to = _check("fades to", "Let the letters fade to another colour at their foot", self._fade)
        self._has_plate = _check("plate", "Lay a plate behind the text", self._put_plate)
        self._has_shadow = _check("shadow", "Let the letters have a shadow", self._put_shadow)
        self._has_glow = _check("glow", "Let the letters glow", self._put_glow)
        self.arrival, self.leaving = _MotionRows("Arrives", desk.arrive), _MotionRows("Leaves", desk.leave)
        number, choice = self._fields.number, self._fields.choice
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        for widget in (
            self.words,
            self._missing,
            row("Face", self._face),
            row(
                "Size",
                number("size", "Size of the letters", "%", factor=100, decimals=1),
                choice("align", "Where lines are flush", [(one, one.value) for one in Alignment]),
            ),
            row(
                "Tracking",
                number("tracking", "Tracking between letters", "%", factor=100),
                label("leading"),
                number("leading", "Leading of the lines", "%", factor=100),
            ),
            row("Case", choice("case", "Case of the letters", [(one, one.value) for one in LetterCase])),
            row("Colour", self._colour, self._has_to, self._to),
            row(
                "Outline",
                number("outline", "Width of the outline", "%", factor=100, decimals=1),
                self._outline,
            ),
            row("Below", self._has_shadow, self._shadow, self._has_glow, self._glow),
            row("Behind", self._has_plate, self._plate),
            rule(),
            self.arrival,
            self.leaving,
        ):
            box.addWidget(widget)

    def show_text(self, fill: TextFill) -> None:
        """Show a text as it is now."""
        self.words.show_words(fill.text)
        missing = block_of(fill).missing
        self._missing.setText(f"No face here has a letter for {' '.join(missing)}")
        self._missing.setVisible(bool(missing))
        own = [] if fill.file is None else [(fill.file, Path(fill.file).stem)]
        faces = [*((name, name) for name in shipped_faces()), *own, (_FROM_FILE, "another file…")]
        show_options(self._face, faces)
        show_choice(self._face, fill.face if fill.file is None else fill.file)
        self._fields.show(fill)
        self._colour.set_colour(fill.colour)
        self._outline.set_colour(fill.outline_colour)
        for box, button, colour in (
            (self._has_to, self._to, fill.to),
            (self._has_plate, self._plate, fill.plate),
            (self._has_shadow, self._shadow, None if fill.shadow is None else fill.shadow.colour),
            (self._has_glow, self._glow, None if fill.glow is None else fill.glow.colour),
        ):
            box.setChecked(colour is not None)
            button.setVisible(colour is not None)
            button.set_colour(colour or "#000000")
        self.arrival.show_motion(fill.arrive)
        self.leaving.show_motion(fill.leave)

    def _choose_face(self, key: str) -> None:
        if key == _FROM_FILE:
            self._desk.ask_face()
        elif key in shipped_faces():
            self._desk.change(face=key, file=None)

    def _fade(self, is_on: bool) -> None:
        self._desk.change(to="#c8553d" if is_on else None)

    def _put_plate(self, is_on: bool) -> None:
        self._desk.change(plate="#16131a" if is_on else None)

    def _put_shadow(self, is_on: bool) -> None:
        self._desk.change(shadow=Shadow() if is_on else None)

    def _put_glow(self, is_on: bool) -> None:
        self._desk.change(glow=_GLOW if is_on else None)

    def _colour_shadow(self, text: str) -> None:
        fill = self._desk.fill
        if fill is not None:
            self._desk.change(shadow=replace(fill.shadow or Shadow(), colour=text))

    def _colour_glow(self, text: str) -> None:
        fill = self._desk.fill
        if fill is not None:
            self._desk.change(glow=replace(fill.glow or _GLOW, colour=text))


class _MotionRows(QWidget):
    """How text arrives, or how it leaves."""

    def __init__(self, words: str, change: Any) -> None:
        super().__init__()
        self._change, self._motion = change, TextMotion("fade")
        options = [(_NONE, "at once"), *((one.key, one.label) for one in MOTIONS.all())]
        self.kind = choice_field(f"{words} by", options, self._choose)
        self._fields = StructFields(TextMotion, self._edit)
        number, choice = self._fields.number, self._fields.choice
        self._more = [
            row(
                "",
                number("frames", f"Frames in which it {words.lower()}"),
                label("frames, by"),
                choice("unit", f"What {words.lower()} as one", [(one, one.value) for one in TextUnit]),
            ),
            row(
                "",
                choice("order", f"Which part {words.lower()} first", [(one, one.value) for one in TextOrder]),
                label("stagger"),
                number("stagger", f"Stagger of what {words.lower()}", "%", factor=100),
            ),
        ]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for widget in (row(words, self.kind), *self._more):
            box.addWidget(widget)

    def show_motion(self, motion: TextMotion | None) -> None:
        """Show a motion, or that there is none."""
        show_choice(self.kind, _NONE if motion is None else motion.key)
        for widget in self._more:
            widget.setVisible(motion is not None)
        if motion is not None:
            self._motion = motion
            self._fields.show(motion)

    def _choose(self, key: str) -> None:
        if key == _NONE:
            self._change(None)
            return
        kind = MOTIONS.named(key)
        self._change(TextMotion(key, kind.frames, kind.unit, kind.stagger))

    def _edit(self, **changes: Any) -> None:
        self._change(replace(self._motion, **changes))


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
        self._resting = debounced(self, _REST_MILLISECONDS, self.rested.emit)
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


def _check(words: str, tip: str, changed: Any) -> QCheckBox:
    made = QCheckBox(words)
    made.setToolTip(tip)
    made.clicked.connect(changed)
    return made
