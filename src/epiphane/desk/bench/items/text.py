"""The rows of the bench for text: what it says, how it is set and coloured, how it arrives and leaves."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from epiphane.desk.bench.items.title_look import FRESH_FOOT, LookRows
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.titles import REST_MILLISECONDS, TextDesk
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.look.fields import NumberField, label, number_field, row
from epiphane.document.ids import FootageId
from epiphane.document.titles import Alignment, FaceAxis, LetterCase, TextFill
from epiphane.edits.items.titles import FRESH_TEXT
from epiphane.media.faces import installed_faces, shipped_faces
from epiphane.titles.faces import Axis, axes_of, face_fault, usual_axes
from epiphane.titles.layout import block_of
from epiphane.titles.moving import MOST_PARTS, unit_that_moves
from epiphane.wording import tr

_FROM_FILE = tr("from a file")
_NONE = ""
_MOST_AXES = 5


class TextRows(Rows[TextFill]):
    """A text: that of the selected item, or the words of a lane."""

    def __init__(self, desk: TextDesk) -> None:
        super().__init__()
        self._desk = desk
        self.words = _WordsField()
        self.words.written.connect(lambda text: desk.change(text=text))
        self.words.rested.connect(desk.end_writing)
        self.shows(lambda fill: self.words.show_words(fill.text))
        self.look = LookRows(desk)
        self.add(self.words, self.told(_lacks, hides=True))
        self.row(
            tr("Face"), self.choice(tr("Face of the letters"), _face_options, _face_of, self._choose_face)
        )
        self.part(_AxisRows(desk.change), lambda fill: fill if axes_of(fill) else None)
        self._add_setting_rows()
        self._add_colour_rows()
        self.part(self.look, lambda fill: fill)

    def _add_setting_rows(self) -> None:
        """Add how the letters are set."""
        fields = self.fields(TextFill, self._desk.change, lambda fill: fill)
        number, choice = fields.number, fields.choice
        self.row(
            tr("Size"),
            number("size", tr("Size of the letters"), "%", factor=100, decimals=1),
            choice("align", tr("Where lines are flush"), [(one, tr(one.value)) for one in Alignment]),
            fields.check("fits", tr("fits"), tr("Set it smaller in frames whose safe area it would leave")),
        )
        self.row(
            tr("Tracking"),
            number("tracking", tr("Tracking between letters"), "%", factor=100),
            label(tr("leading")),
            number("leading", tr("Leading of the lines"), "%", factor=100),
        )
        self.row(
            tr("Case"),
            choice("case", tr("Case of the letters"), [(one, tr(one.value)) for one in LetterCase]),
        )

    def _add_colour_rows(self) -> None:
        change = self._desk.change
        colour = self.colour(
            tr("Colour of the letters"), lambda fill: fill.colour, lambda text: change(colour=text)
        )
        has_to, to = self.optional_colour(
            tr("fades to"),
            tr("Let the letters fade to another colour at their foot"),
            tr("Colour at the foot"),
            lambda fill: fill.to,
            lambda text: change(to=text),
            fresh=FRESH_FOOT,
        )
        clip = self.choice(
            tr("What is seen through the letters"),
            lambda _: [(_NONE, tr("its colour")), *self._desk.clips()],
            lambda fill: _NONE if fill.footage is None else str(fill.footage),
            lambda key: change(footage=None if key == _NONE else FootageId(int(key))),
        )
        self.row(tr("Colour"), colour, has_to, to)
        self.row(tr("Filled with"), clip)

    def _choose_face(self, key: str) -> None:
        if key == _FROM_FILE:
            self._desk.ask_face()
        elif key in shipped_faces():
            axes = usual_axes(TextFill("", face=key))
            self._desk.change(face=key, file=None, fingerprint=None, axes=axes)
        elif key in installed_faces():
            self._desk.use_face(installed_faces()[key])


def _face_options(fill: TextFill) -> list[tuple[str, str]]:
    """Return the faces that there are: shipped ones, that of the text's own file, installed ones."""
    own = [] if fill.file is None else [(fill.file, Path(fill.file).stem)]
    installed = [(name, name) for name in installed_faces() if name not in shipped_faces()]
    return [*((name, name) for name in shipped_faces()), *own, (_FROM_FILE, tr("from a file…")), *installed]


def _face_of(fill: TextFill) -> str:
    return fill.face if fill.file is None else fill.file


def _lacks(fill: TextFill) -> str:
    """Return what is said of a text: letters and faces that are missing, more parts than may move."""
    block, fault = block_of(fill), face_fault(fill)
    missing = block.missing
    told = [tr("No face here has a letter for {names}.", names=" ".join(missing))] if missing else []
    told += [tr("{name}: other faces show its letters.", name=fault.rstrip("."))] if fault else []
    for motion in {fill.arrive, fill.leave} - {None}:
        assert motion is not None
        unit = unit_that_moves(block.letters, motion.unit)
        if unit is not motion.unit:
            most = tr("more than {most} {unit}s", most=MOST_PARTS, unit=tr(motion.unit.value))
            told.append(tr("There are {most}: it moves by the {unit}.", most=most, unit=tr(unit.value)))
    return " ".join(dict.fromkeys(told))


class _AxisRows(Rows[TextFill]):
    """The axes of a variable face, such as its weight."""

    def __init__(self, change: Callable[..., object]) -> None:
        super().__init__(spacing=5)
        self._change = change
        self._face: object = None
        self._fill = TextFill("")
        self._fields: dict[str, NumberField] = {}
        self._lines: list[QWidget] = []
        self.shows(self._show)

    def _show(self, fill: TextFill) -> None:
        """Show the axes of the face of a text, in rows that are made anew for another face."""
        axes = axes_of(fill)[:_MOST_AXES]
        self._fill = fill
        if (fill.face, fill.file) != self._face:
            self._face = fill.face, fill.file
            for line in self._lines:
                self.column.removeWidget(line)
                line.deleteLater()
            self._fields = {axis.tag: self._field(axis) for axis in axes}
            self._lines = [row(axis.name, self._fields[axis.tag]) for axis in axes]
            self.add(*self._lines)
            for line in self._lines:
                line.show()  # the layout would, but later
        own = {one.tag: one.value for one in fill.axes}
        for axis in axes:
            self._fields[axis.tag].show_value(round(own.get(axis.tag, axis.default)))

    def _field(self, axis: Axis) -> NumberField:
        step = (axis.high - axis.low) / 50
        made = number_field(
            tr("{name} of the face", name=axis.name), low=axis.low, high=axis.high, unit="", step=step
        )
        made.edited.connect(lambda value: self._set(axis.tag, value))
        return made

    def _set(self, tag: str, value: float) -> None:
        others = (one for one in self._fill.axes if one.tag != tag)
        self._change(axes=(*others, FaceAxis(tag, value)))


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
        self.setAccessibleName(tr("What the text says"))
        self.setTabChangesFocus(True)
        self._is_shown = False
        self._resting = debounced(self, REST_MILLISECONDS, self.rested)
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
