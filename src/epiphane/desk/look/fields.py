"""The rows of the bench: labels, numbers, bars, choices, colours."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QToolTip,
    QWidget,
)

from epiphane.desk.look import theme
from epiphane.wording import tr

LABEL_WIDTH = 104
NUMBER_WIDTH = 74
_STEPPING_KEYS = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


def label(text: str, *, is_quiet: bool = True) -> QLabel:
    """Return a line of words."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)  # names of files are shown as they are
    made.setProperty("quiet", is_quiet)
    return made


def wrapped(text: str, *, is_quiet: bool = True) -> QLabel:
    """Return words over as many lines as they need."""
    made = label(text, is_quiet=is_quiet)
    made.setWordWrap(True)
    return made


class NumberField(QDoubleSpinBox):
    """A field for a number that changes by the hand of the user alone.

    Its own keys come before those of the window, which keeps all others: digits and the keys that step are
    the field's; letters and Space mean nothing in a number, so they do what they do everywhere. Enter takes
    what was typed and gives the keyboard back to the window. The wheel scrolls what the field stands in.

    Signals
    -------
    edited(value: float)
        The user has typed or stepped to another value. What is shown, or limits that move the value, is none.
    """

    edited = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.valueChanged.connect(self.edited)
        line = self.lineEdit()
        assert line is not None
        line.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Have a double click mark all of the number, with what stands behind its point."""
        if event is not None and event.type() == QEvent.Type.MouseButtonDblClick:
            self.selectAll()
            return True
        return super().eventFilter(watched, event)

    def show_value(self, value: float) -> None:
        """Show a number; not while another is being typed."""
        line = self.lineEdit()
        is_typed = self.hasFocus() and line is not None and line.isModified()
        if self.value() != value and not is_typed:
            self._quietly(lambda: self.setValue(value))

    def show_limits(self, low: float, high: float) -> None:
        """Let the number be within other limits."""
        if (self.minimum(), self.maximum()) != (low, high):
            self._quietly(lambda: self.setRange(low, high))

    def _quietly(self, change: Callable[[], None]) -> None:
        self.blockSignals(True)
        change()
        self.blockSignals(False)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        before = self.text()
        super().keyPressEvent(event)
        if event is not None and event.text().isdigit() and self.text() == before:
            limits = tr(
                "{minimum:g} to {maximum:g}{suffix}",
                minimum=self.minimum(),
                maximum=self.maximum(),
                suffix=self.suffix(),
            )
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), limits, self)  # why it was refused
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.clearFocus()

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            if event.key() in _STEPPING_KEYS:
                event.accept()
                return True
            if event.text().isalpha() or event.text() == " ":
                event.ignore()
                return True
        return super().event(event)


class TextField(QLineEdit):
    """A field for words; Enter takes what was typed and gives the keyboard back to the window."""

    def __init__(self, name: str, tip: str, *, longest: int = 200) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setMaxLength(longest)
        self.returnPressed.connect(self.clearFocus)

    def show_text(self, text: str) -> None:
        """Show words from their beginning; not while others are being typed."""
        if not (self.hasFocus() and self.isModified()) and self.text() != text:
            self.setText(text)
            self.setCursorPosition(0)


class ChoiceField(QComboBox):
    """A field that steps through its options with Up and Down, whatever they mean elsewhere.

    The wheel scrolls what it stands in.
    """

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()

    def event(self, event: QEvent | None) -> bool:
        is_asking = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if isinstance(event, QKeyEvent) and is_asking and event.key() in _STEPPING_KEYS:
            event.accept()
            return True
        return super().event(event)


def number_field(
    name: str, *, low: float, high: float, unit: str, decimals: int = 0, step: float = 1
) -> NumberField:
    """Return a field for a number: typed, or stepped with the arrow keys."""
    field = NumberField()
    field.setAccessibleName(name)
    field.setToolTip(
        tr(
            "{name}: {low:g} to {high:g} {unit}. Up and Down change it, Enter takes what you typed",
            name=name,
            low=low,
            high=high,
            unit=tr(unit),
        )
    )
    field.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
    field.setRange(low, high)
    field.setDecimals(decimals)
    field.setSingleStep(step)
    field.setSuffix(f" {tr(unit)}" if unit else "")
    field.setKeyboardTracking(False)
    field.setAlignment(Qt.AlignmentFlag.AlignRight)
    field.setFont(theme.numbers(9.5))
    field.setFixedWidth(NUMBER_WIDTH)
    return field


class RangeBar(QWidget):
    """A bar from a parameter's value at rest to its value at the peak; both ends can be dragged.

    Signals
    -------
    changed(rest: float, peak: float)
    released()
        A drag has ended.
    """

    changed = pyqtSignal(float, float)
    released = pyqtSignal()

    def __init__(self, name: str, *, low: float, high: float, colour: QColor, has_rest: bool = True) -> None:
        super().__init__()
        self._low, self._high = low, high
        self._colour = colour
        self._has_rest = has_rest
        self._rest, self._peak = low, high
        self._held: str | None = None
        self.setMinimumSize(80, 24)
        self.setAccessibleName(tr("{name} bar", name=name))
        ends = tr("the ring is its value at rest, the disc at the peak") if has_rest else tr("drag the disc")
        self.setToolTip(f"{name}: {ends}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(150, 24)

    def set_values(self, rest: float, peak: float) -> None:
        """Show values without a signal."""
        self._rest, self._peak = rest, peak
        self.update()

    def set_range(self, low: float, high: float) -> None:
        """Let the bar stand for other values."""
        self._low, self._high = low, high
        self.update()

    def point_of(self, value: float) -> QPointF:
        """Return where a value stands."""
        share = (value - self._low) / (self._high - self._low)
        return QPointF(8 + share * (self.width() - 16), self.height() / 2)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        painter.setPen(QPen(theme.RULE, 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(8, middle), QPointF(self.width() - 8, middle))
        rest, peak = self.point_of(self._rest), self.point_of(self._peak)
        painter.setPen(QPen(self._colour, 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(rest if self._has_rest else QPointF(8, middle), peak)
        if self._has_rest:
            painter.setPen(QPen(theme.QUIET, 1.5))
            painter.setBrush(theme.PANEL)
            painter.drawEllipse(rest, 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._colour)
        painter.drawEllipse(peak, 6, 6)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        to_rest, to_peak = (abs(x - self.point_of(v).x()) for v in (self._rest, self._peak))
        self._held = "rest" if self._has_rest and to_rest < to_peak and to_rest < 12 else "peak"
        self._drag(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held is not None:
            self._drag(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.released.emit()

    def _drag(self, x: float) -> None:
        share = min(max((x - 8) / max(self.width() - 16, 1), 0.0), 1.0)
        value = self._low + share * (self._high - self._low)
        value = round(value) if self._high - self._low >= 20 else round(value, 2)
        rest, peak = (value, self._peak) if self._held == "rest" else (self._rest, value)
        if (rest, peak) != (self._rest, self._peak):
            self.set_values(rest, peak)
            self.changed.emit(rest, peak)


class ColourButton(QPushButton):
    """A swatch that asks for a colour.

    Signals
    -------
    picked(text: str)
        ``#rrggbb``
    """

    picked = pyqtSignal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self._colour = "#ffffff"
        self.setFixedSize(NUMBER_WIDTH, 26)
        self.setAccessibleName(name)
        self.setToolTip(tr("{name}: choose a colour", name=name))
        self.clicked.connect(self._ask)

    def set_colour(self, text: str) -> None:
        """Show a colour."""
        self._colour = text
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.TEXT if self.hasFocus() else theme.RULE, 1))
        painter.setBrush(QColor(self._colour))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)

    def _ask(self) -> None:
        colour = QColorDialog.getColor(QColor(self._colour), self, self._name)
        if colour.isValid():
            self.picked.emit(colour.name())


def choice_field(name: str, options: Sequence[tuple[str, str]], chosen: Callable[[str], object]) -> QComboBox:
    """Return a field for one of some words; options are (key, what is read)."""
    field = ChoiceField()
    field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
    field.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    field.setAccessibleName(name)
    field.setToolTip(name)
    for key, text in options:
        field.addItem(text, key)
    field.activated.connect(lambda index: chosen(str(field.itemData(index))))
    return field


_CHECKS_EDGE = 44
"""Pixels of such a button that are not for its words: the padding, and its arrow."""


class ChecksButton(QPushButton):
    """A button with a list of things of which any number may be chosen.

    Signals
    -------
    chosen(keys: tuple of str)
    """

    chosen = pyqtSignal(object)

    def __init__(self, name: str, nothing: str, *, width: int = 150) -> None:
        super().__init__(nothing)
        self._nothing, self._width = nothing, width
        self._options: Callable[[], Sequence[tuple[str, str]]] = list
        self._keys: tuple[str, ...] = ()
        self._menu = _LastingMenu(self)
        self._menu.aboutToShow.connect(self._fill)
        self.setMenu(self._menu)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setMaximumWidth(width)

    def show_checks(self, options: Callable[[], Sequence[tuple[str, str]]], keys: Sequence[str]) -> None:
        """Offer (key, words), with some of them chosen; they are asked for when they are needed."""
        self._options, self._keys = options, tuple(keys)
        if self._menu.isVisible():
            self._fill()
        names = [words for key, words in options() if key in keys] if keys else []
        text = ", ".join(names) if names else self._nothing
        room = self._width - _CHECKS_EDGE
        self.setText(self.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room))
        self.setToolTip(theme.plain(f"{self.accessibleName()}: {text}"))

    def _fill(self) -> None:
        options = self._options()
        if [(str(one.data()), one.text()) for one in self._menu.actions()] != list(options):
            self._menu.clear()
            for key, text in options:
                action = QAction(text, self._menu)
                action.setData(key)
                action.setCheckable(True)
                action.triggered.connect(self._choose)
                self._menu.addAction(action)
        for action in self._menu.actions():
            action.setChecked(str(action.data()) in self._keys)

    def _choose(self) -> None:
        self.chosen.emit(tuple(str(one.data()) for one in self._menu.actions() if one.isChecked()))


class _LastingMenu(QMenu):
    """A menu that stays open while things are checked in it."""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        action = None if event is None else self.actionAt(event.position().toPoint())
        if action is not None and action.isCheckable():
            action.trigger()
        else:
            super().mouseReleaseEvent(event)


def show_options(field: QComboBox, options: Sequence[tuple[str, str]]) -> None:
    """Let a field offer these (key, words), if it does not already."""
    if [(str(field.itemData(n)), field.itemText(n)) for n in range(field.count())] != list(options):
        field.clear()
        for key, text in options:
            field.addItem(text, key)


def show_choice(field: QComboBox, key: str) -> None:
    """Show an option without a signal."""
    field.setCurrentIndex(max(0, field.findData(key)))


def button(text: str, tip: str, pressed: Callable[[], object]) -> QPushButton:
    """Return a button that does something."""
    made = QPushButton(text)
    made.setToolTip(tip)
    made.clicked.connect(lambda _checked=False: pressed())
    return made


def switch(text: str, tip: str, changed: Callable[[bool], object], *, is_quiet: bool = True) -> QPushButton:
    """Return a button that stays down while something is so, and calls with whether it is."""
    made = QPushButton(text)
    made.setCheckable(True)
    made.setProperty("quiet", is_quiet)
    made.setToolTip(tip)
    made.clicked.connect(changed)
    return made


def row(name: str, *widgets: QWidget) -> QWidget:
    """Return a row of the bench: a label and what follows it."""
    made = QWidget()
    box = QHBoxLayout(made)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(10)
    words = label(name, is_quiet=False)
    words.setFixedWidth(LABEL_WIDTH)
    box.addWidget(words)
    for widget in widgets:
        box.addWidget(widget, 1 if _takes_room(widget) else 0)
    if not any(_takes_room(widget) for widget in widgets):
        box.addStretch(1)
    return made


def in_a_row(*widgets: QWidget, right: Sequence[QWidget] = (), spacing: int = 8) -> QWidget:
    """Return widgets beside each other, some at the left end and some at the right."""
    made = QWidget()
    box = QHBoxLayout(made)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(spacing)
    for widget in widgets:
        box.addWidget(widget)
    box.addStretch(1)
    for widget in right:
        box.addWidget(widget)
    return made


def _takes_room(widget: QWidget) -> bool:
    return isinstance(widget, RangeBar | QLineEdit) or (isinstance(widget, QLabel) and widget.wordWrap())


def rule() -> QWidget:
    """Return a thin line between groups of rows."""
    line = QWidget()
    line.setFixedHeight(1)
    line.setStyleSheet(f"background: {theme.RULE.name()}")
    return line
