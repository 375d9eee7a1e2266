"""The drag that goes on over the score: what is held, how it is shown, how it ends."""

from typing import Protocol

from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QCursor, QPainter
from PyQt6.QtWidgets import QApplication, QToolTip, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.score.gesture import Gesture, Pointer
from epiphane.desk.score.layout import ScoreLayout
from epiphane.desk.score.rows import Press
from epiphane.timing import frame_at

_DRAG_START = 4


class LaidOut(Protocol):
    """The score, as far as a drag has to know it."""

    def layout_now(self) -> ScoreLayout:
        """Return where things are."""
        ...

    def paper(self) -> QWidget:
        """Return what is painted on."""
        ...


class Dragging(QObject):
    """What is held with the mouse in the score.

    Signals
    -------
    trimming(pair: (int, int) or None)
        The frames on both sides of what is dragged; None when it is let go.
    """

    trimming = pyqtSignal(object)

    def __init__(self, view: LaidOut, editor: Editor) -> None:
        super().__init__()
        self._view, self._editor = view, editor
        self._press: Press | None = None
        self._held: Gesture | None = None
        self._has_moved = self._is_shift_spent = False

    @property
    def is_holding(self) -> bool:
        """Whether something is held."""
        return self._held is not None

    def begin(self, held: Gesture | None, press: Press) -> None:
        """Hold something from now on; where there is nothing new, what was held."""
        self._is_shift_spent = press.is_adding  # it says what is dragged, and not that it is free
        if held is not None:
            self._held, self._press, self._has_moved = held, press, False

    def move(self, at: QPointF) -> None:
        """Do with what is held what the pointer means at a point of the score."""
        held, press = self._held, self._press
        if held is None or press is None:
            return
        moved = at - press.at
        if not self._has_moved and max(abs(moved.x()), abs(moved.y())) < _DRAG_START:
            return
        self._has_moved = True
        layout = self._view.layout_now()
        is_shift = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._is_shift_spent = self._is_shift_spent and is_shift
        is_free = is_shift and not self._is_shift_spent
        held.move(Pointer(layout, at, moved, layout.locate(at.x(), at.y()), is_shift, is_free))
        if held.words:
            QToolTip.showText(QCursor.pos(), theme.plain(held.words), self._view.paper())
        if held.pair is not None:
            self.trimming.emit(held.pair)
        self._view.paper().update()

    def give_up(self) -> bool:
        """Have everything as it was before what is held was dragged; False where nothing was."""
        held, self._held = self._held, None
        if held is None or not self._has_moved:
            return False
        self._editor.give_up_gesture()
        self.trimming.emit(None)
        self._view.paper().update()
        return True

    def release(self) -> None:
        """Let go; where nothing was dragged, the playhead goes there."""
        held, press, self._held = self._held, self._press, None
        if held is not None and self._has_moved:
            held.end()
        self.trimming.emit(None)
        self._editor.end_gesture()
        if held is not None and press is not None and not self._has_moved and not held.stays:
            frame = held.clicked_frame()
            there = frame_at(press.place.seconds, self._editor.project.rate)
            self._editor.go_to(there if frame is None else frame)
        self._view.paper().update()

    def paint(self, painter: QPainter, *, offset: int) -> None:
        """Show over the score, scrolled by `offset`, what is dragged and what it would do."""
        if self._held is not None and self._has_moved:
            self._held.paint(painter, self._view.layout_now(), offset=offset)
