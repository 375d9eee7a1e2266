"""The speed of a shot over its frames as a picture whose points are dragged."""

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme
from epiphane.document.timeline import SpeedKey
from epiphane.facts.speed import speed_at

_PAD_X, _PAD_TOP, _PAD_BOTTOM = 44, 8, 16
_GRAB = 11
_SPEED_STEP = 0.05
_LEAST_TOP = 2.0


class SpeedCurvePicture(QWidget):
    """Speed upwards, frames of the shot to the right; the moment's hit is a line, the playhead another.

    Signals
    -------
    moved(index: int, frame: int, speed: float)
        A point is dragged, to a frame counted from the shot's first.
    nudged(index: int, frame: int, speed: float)
        A point is moved by keys.
    added(frame: int), removed(index: int), chosen(index: int)
    released()
        A drag has ended.
    """

    moved = pyqtSignal(int, int, float)
    nudged = pyqtSignal(int, int, float)
    added = pyqtSignal(int)
    removed = pyqtSignal(int)
    chosen = pyqtSignal(int)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._speed: float | tuple[SpeedKey, ...] = 1.0
        self._n_frames, self._anchor = 1, 0
        self._hit: int | None = None
        self._here: int | None = None
        self._index = 0
        self._is_held = False
        self._top, self._held_low = _LEAST_TOP, 0.0
        self.setMinimumSize(260, 104)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Speed curve")
        self.setToolTip(
            "Speed over the shot. A double click adds a point or deletes it; drag points. "
            "Keys: Insert adds one at the playhead, 1 2 3 … choose, arrows move, Delete"
        )
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(380, 108)

    @property
    def index(self) -> int:
        """The number of the point that keys are about."""
        return self._index

    @property
    def _keys(self) -> tuple[SpeedKey, ...]:
        return self._speed if isinstance(self._speed, tuple) else ()

    def show_speed(
        self,
        speed: float | tuple[SpeedKey, ...],
        n_frames: int,
        *,
        anchor: int,
        hit: int | None,
        here: int | None,
    ) -> None:
        """Show a speed over a shot.

        Parameters
        ----------
        anchor, hit, here : frames counted from the shot's first: of the curve's anchor, of the hit on which
            its moment falls, and of the playhead
        """
        self._speed, self._n_frames, self._anchor = speed, n_frames, anchor
        self._hit, self._here = hit, here
        self._index = min(self._index, max(len(self._keys) - 1, 0))
        if not self._is_held:
            speeds = [key.speed for key in self._keys] or [speed if isinstance(speed, float | int) else 1.0]
            self._top = max(_LEAST_TOP, 1.15 * max(abs(one) for one in speeds))
        self.update()

    def point_of(self, index: int) -> QPointF:
        """Return where a point is in the picture."""
        key = self._keys[index]
        return QPointF(self._x(key.frame + self._anchor), self._y(key.speed))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = self._room
        painter.fillRect(room, theme.STRIP)
        painter.setFont(theme.numbers(8))
        for speed in (self._low, 0.0, 1.0, self._top):
            y = self._y(speed)
            painter.setPen(QPen(theme.RULE, 1, Qt.PenStyle.SolidLine if speed == 0 else Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
            painter.setPen(theme.QUIET)
            box = QRectF(0, y - 7, _PAD_X - 4, 14)
            is_free = speed in (0.0, 1.0) or min(abs(y - self._y(0)), abs(y - self._y(1))) > 11
            if is_free:
                painter.drawText(box, _RIGHT, f"{100 * speed:.0f} %" if speed else "hold")
        for frame, colour in ((self._hit, theme.TEXT), (self._here, theme.QUIET)):
            if frame is not None and 0 <= frame < self._n_frames:
                painter.setPen(QPen(colour, 1))
                painter.drawLine(QPointF(self._x(frame), room.top()), QPointF(self._x(frame), room.bottom()))
        self._paint_curve(painter)
        for number in range(len(self._keys)):
            at = self.point_of(number)
            if room.left() - 1 <= at.x() <= room.right() + 1:
                is_chosen = number == self._index and self.hasFocus()
                painter.setPen(QPen(theme.TEXT, 1.6))
                painter.setBrush(theme.TEXT if is_chosen else theme.PANEL)
                painter.drawEllipse(at, 4.5, 4.5)
        self._paint_foot(painter)

    def _paint_foot(self, painter: QPainter) -> None:
        """Write where the moment is, and both ends as far as it leaves them room."""
        room, metrics = self._room, painter.fontMetrics()
        foot, words = QRectF(room.left(), room.bottom() + 2, room.width(), 14), "moment"
        free_from, free_to = foot.left(), foot.right()
        if self._hit is not None and 0 <= self._hit < self._n_frames:
            width = metrics.horizontalAdvance(words)
            left = min(max(self._x(self._hit) - width / 2, foot.left()), foot.right() - width)
            painter.setPen(theme.TEXT)
            painter.drawText(QRectF(left, foot.top(), width + 2, 14), Qt.AlignmentFlag.AlignLeft, words)
            free_to, free_from = left - 6, left + width + 6
        painter.setPen(theme.QUIET)
        first, last = "frame 0", str(self._n_frames - 1)
        if foot.left() + metrics.horizontalAdvance(first) <= free_to:
            painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, first)
        if foot.right() - metrics.horizontalAdvance(last) >= free_from:
            painter.drawText(foot, Qt.AlignmentFlag.AlignRight, last)

    def _paint_curve(self, painter: QPainter) -> None:
        path = QPainterPath()
        for frame in np.linspace(0, self._n_frames, 241):
            at = QPointF(self._x(float(frame)), self._y(speed_at(self._speed, float(frame) - self._anchor)))
            path.lineTo(at) if path.elementCount() else path.moveTo(at)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.TEXT, 1.6))
        painter.setClipRect(self._room.adjusted(-6, -6, 6, 6))
        painter.drawPath(path)
        painter.setClipping(False)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        found = self._under(event.position())
        if found is not None:
            self._held_low = min(self._low, -self._top / 2)  # so that it can be dragged below a standstill
            self._is_held = True
            self._choose(found)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._is_held:
            frame, speed = self._at(event.position())
            self.moved.emit(self._index, frame, speed)
        else:
            is_over = self._under(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeAllCursor if is_over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._is_held:
            self._is_held = False
            self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        found = self._under(event.position())
        self._is_held = False
        if found is None:
            self.added.emit(self._at(event.position())[0])
        else:
            self.removed.emit(found)

    def event(self, event: QEvent | None) -> bool:
        """Keep the keys that are about points from the window's shortcuts."""
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
        ):
            is_digit = Qt.Key.Key_1 <= event.key() <= Qt.Key.Key_9
            if event.key() in _KEYS or is_digit:
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, keys = event.key(), self._keys
        if key == Qt.Key.Key_Insert and self._here is not None:
            self.added.emit(self._here)
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_9 and key - Qt.Key.Key_1 < len(keys):
            self._choose(key - Qt.Key.Key_1)
        elif not keys:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Delete:
            self.removed.emit(self._index)
        elif key in _ARROWS:
            here = keys[self._index]
            frames, steps = _ARROWS[Qt.Key(key)]
            self.nudged.emit(
                self._index, here.frame + self._anchor + frames, round(here.speed + steps * _SPEED_STEP, 4)
            )
        else:
            super().keyPressEvent(event)

    def _choose(self, index: int) -> None:
        self._index = index
        self.chosen.emit(index)
        self.update()

    def _under(self, at: QPointF) -> int | None:
        near = [(QPointF(self.point_of(n) - at).manhattanLength(), n) for n in range(len(self._keys))]
        distance, number = min(near, default=(_GRAB + 1.0, 0))
        return number if distance <= _GRAB else None

    def _at(self, at: QPointF) -> tuple[int, float]:
        room = self._room
        frame = round((at.x() - room.left()) / room.width() * self._n_frames)
        frame = min(max(frame, 0), self._n_frames - 1)
        share = min(max((room.bottom() - at.y()) / room.height(), 0.0), 1.0)
        return frame, round(self._low + share * (self._top - self._low), 2)

    @property
    def _low(self) -> float:
        """The speed at the foot of the picture: below a freeze frame, where it may run backwards."""
        speed = self._speed
        lowest = min(key.speed for key in speed) if isinstance(speed, tuple) else speed
        if self._is_held:
            return self._held_low
        return min(-self._top / 4, 1.15 * lowest)

    @property
    def _room(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_PAD_X, _PAD_TOP, -12, -_PAD_BOTTOM)

    def _x(self, frame: float) -> float:
        return self._room.left() + frame / self._n_frames * self._room.width()

    def _y(self, speed: float) -> float:
        room = self._room
        return room.bottom() - (speed - self._low) / (self._top - self._low) * room.height()


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}
_KEYS = {*_ARROWS, Qt.Key.Key_Delete, Qt.Key.Key_Insert}
