"""A curve whose points are dragged, chosen by their number and moved by keys."""

from abc import abstractmethod
from collections.abc import Collection, Sequence
from typing import Generic, TypeVar

from PyQt6.QtCore import QEvent, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme

Handle = TypeVar("Handle")

_REACH = 14
STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}
"""By how many steps across and up an arrow key moves what is chosen."""


class PointCurve(QWidget, Generic[Handle]):
    """A picture of a curve with handles; what they are and where is a subclass's to say.

    A handle is dragged by the mouse. One that is chosen, by a click or by its number, is moved by the
    arrow keys. A double click removes the one under it, or adds one where there is none.

    Signals
    -------
    released()
        A drag, or a step by a key, has ended.
    """

    released = pyqtSignal()

    def __init__(self, name: str, tip: str, *, width: int, height: int) -> None:
        super().__init__()
        self._held: Handle | None = None
        self._chosen: Handle | None = None
        self.setMinimumSize(width, height)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setMouseTracking(True)

    # What a subclass says

    @abstractmethod
    def handles(self) -> Sequence[Handle]:
        """Return all handles, in the order of their numbers."""

    @abstractmethod
    def place(self, handle: Handle) -> QPointF:
        """Return where a handle is drawn."""

    def keys_of(self, handle: Handle | None) -> Collection[Qt.Key]:
        """Return the keys that mean something while a handle is chosen."""
        return (*STEPS, Qt.Key.Key_Delete)

    @abstractmethod
    def drag_to(self, handle: Handle, at: QPointF) -> None:
        """Move a handle towards where the pointer is."""

    @abstractmethod
    def step(self, handle: Handle, across: int, up: int) -> None:
        """Move a handle by steps."""

    @abstractmethod
    def add_at(self, at: QPointF) -> None:
        """Add a point where there is none."""

    @abstractmethod
    def remove(self, handle: Handle) -> None:
        """Remove a point; what is no point stays."""

    def choose(self, handle: Handle) -> None:
        """Have the keys act on a handle."""
        self._chosen = handle
        self.update()

    def hold(self, handle: Handle) -> None:
        """Begin to drag a handle."""
        self._held = handle
        self.choose(handle)

    def let_go(self) -> None:
        """End the drag."""
        self._held = None
        self.released.emit()

    # What all have

    def paint_handle(self, painter: QPainter, handle: Handle, colour: QColor, radius: float = 4.5) -> None:
        """Paint a handle, filled where it is held, or chosen and keys would move it."""
        is_chosen = handle == self._held or (self.hasFocus() and handle == self._chosen)
        painter.setPen(QPen(theme.TEXT if is_chosen else colour, 2))
        painter.setBrush(colour if is_chosen else theme.GROUND)
        painter.drawEllipse(self.place(handle), radius, radius)

    def cursor_over(self, handle: Handle) -> Qt.CursorShape:
        """Return the cursor that tells which ways a handle goes."""
        return Qt.CursorShape.SizeAllCursor

    def _handle_at(self, at: QPointF) -> Handle | None:
        """Return the handle nearest to a place, the last of several there, or None where none is in reach."""
        found: Handle | None = None
        least: float = _REACH
        for handle in self.handles():
            away = (self.place(handle) - at).manhattanLength()
            if away <= least:
                found, least = handle, away
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        found = self._handle_at(event.position())
        if found is not None:
            self.hold(found)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is not None:
            self.drag_to(self._held, event.position())
            return
        under = self._handle_at(event.position())
        self.setCursor(Qt.CursorShape.ArrowCursor if under is None else self.cursor_over(under))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self.let_go()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Remove the point that is there, or add one."""
        if event is None:
            return
        self._held = None
        found = self._handle_at(event.position())
        if found is None:
            self.add_at(event.position())
        else:
            self.remove(found)

    def event(self, event: QEvent | None) -> bool:
        """Keep the keys that are about handles from the window's shortcuts."""
        is_override = event is not None and event.type() == QEvent.Type.ShortcutOverride
        if is_override and isinstance(event, QKeyEvent) and self._is_ours(event):
            event.accept()
            return True
        return super().event(event)

    def _is_ours(self, event: QKeyEvent) -> bool:
        return _number(event) is not None or event.key() in self.keys_of(self._chosen)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        number, handles, chosen = _number(event), self.handles(), self._chosen
        if number is not None and number < len(handles):
            self.choose(handles[number])
        elif chosen is None or event.key() not in self.keys_of(chosen):
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self.remove(chosen)
            self.released.emit()
        elif event.key() in STEPS:
            self.step(chosen, *STEPS[Qt.Key(event.key())])
            self.released.emit()


def _number(event: QKeyEvent) -> int | None:
    """Return the number of the handle that a key stands for, from 0, or None."""
    text = event.text()
    return int(text) - 1 if text in set("123456789") else None
