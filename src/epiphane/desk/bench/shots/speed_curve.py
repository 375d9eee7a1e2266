"""The speed of a shot over its frames as a picture whose points are dragged."""

from collections.abc import Collection

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen

from epiphane.desk.bench.point_curve import PointCurve
from epiphane.desk.look import theme
from epiphane.document.timeline import SpeedKey
from epiphane.facts.speed import speed_at
from epiphane.wording import tr

_PAD_X, _PAD_TOP, _PAD_BOTTOM = 44, 8, 16
_SPEED_STEP = 0.05
_LEAST_TOP = 2.0


class SpeedCurvePicture(PointCurve[int]):
    """Speed upwards, frames of the shot to the right; the moment's hit is a line, the playhead another.

    Signals
    -------
    moved(index: int, frame: int, speed: float)
        A point is dragged or moved by keys, to a frame counted from the shot's first.
    added(frame: int), removed(index: int), chosen(index: int)
    """

    moved = pyqtSignal(int, int, float)
    added = pyqtSignal(int)
    removed = pyqtSignal(int)
    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__(
            tr("Speed curve"),
            tr(
                "Speed over the shot. A double click adds a point or deletes it; drag points. "
                "Keys: Insert adds one at the playhead, 1 2 3 … choose, arrows move, Delete"
            ),
            width=260,
            height=104,
        )
        self._speed: float | tuple[SpeedKey, ...] = 1.0
        self._n_frames, self._anchor = 1, 0
        self._hit: int | None = None
        self._here: int | None = None
        self._top, self._held_low = _LEAST_TOP, 0.0

    def sizeHint(self) -> QSize:
        return QSize(380, 108)

    @property
    def index(self) -> int:
        """The number of the point that keys are about."""
        return self._chosen or 0

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
        self._chosen = min(self.index, len(self._keys) - 1) if self._keys else None
        if self._held is not None and self._held >= len(self._keys):  # it was undone while it was dragged
            self._held = None
        if self._held is None:
            speeds = [key.speed for key in self._keys] or [speed if isinstance(speed, float | int) else 1.0]
            self._top = max(_LEAST_TOP, 1.15 * max(abs(one) for one in speeds))
        self.update()

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
                painter.drawText(box, _RIGHT, f"{100 * speed:.0f} %" if speed else tr("hold"))
        for frame, colour in ((self._hit, theme.TEXT), (self._here, theme.QUIET)):
            if frame is not None and 0 <= frame < self._n_frames:
                painter.setPen(QPen(colour, 1))
                painter.drawLine(QPointF(self._x(frame), room.top()), QPointF(self._x(frame), room.bottom()))
        self._paint_curve(painter)
        for number in self.handles():
            if room.left() - 1 <= self.place(number).x() <= room.right() + 1:
                self.paint_handle(painter, number, theme.TEXT)
        self._paint_foot(painter)

    def _paint_foot(self, painter: QPainter) -> None:
        """Write where the moment is, and both ends as far as it leaves them room."""
        room, metrics = self._room, painter.fontMetrics()
        foot, words = QRectF(room.left(), room.bottom() + 2, room.width(), 14), tr("moment")
        free_from, free_to = foot.left(), foot.right()
        if self._hit is not None and 0 <= self._hit < self._n_frames:
            width = metrics.horizontalAdvance(words)
            left = min(max(self._x(self._hit) - width / 2, foot.left()), foot.right() - width)
            painter.setPen(theme.TEXT)
            painter.drawText(QRectF(left, foot.top(), width + 2, 14), Qt.AlignmentFlag.AlignLeft, words)
            free_to, free_from = left - 6, left + width + 6
        painter.setPen(theme.QUIET)
        first, last = tr("frame {frame}", frame=0), str(self._n_frames - 1)
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

    def handles(self) -> range:
        return range(len(self._keys))

    def place(self, handle: int) -> QPointF:
        key = self._keys[handle]
        return QPointF(self._x(key.frame + self._anchor), self._y(key.speed))

    def keys_of(self, handle: int | None) -> Collection[Qt.Key]:
        return (*super().keys_of(handle), Qt.Key.Key_Insert)

    def choose(self, handle: int) -> None:
        super().choose(handle)
        self.chosen.emit(handle)

    def hold(self, handle: int) -> None:
        self._held_low = min(self._low, -self._top / 2)  # so that it can be dragged below a standstill
        super().hold(handle)

    def drag_to(self, handle: int, at: QPointF) -> None:
        self.moved.emit(handle, *self._at(at))

    def step(self, handle: int, across: int, up: int) -> None:
        key = self._keys[handle]
        self.moved.emit(handle, key.frame + self._anchor + across, round(key.speed + up * _SPEED_STEP, 4))

    def add_at(self, at: QPointF) -> None:
        self.added.emit(self._at(at)[0])

    def remove(self, handle: int) -> None:
        self.removed.emit(handle)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Insert and self._here is not None:
            self.added.emit(self._here)
        else:
            super().keyPressEvent(event)

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
        if self._held is not None:
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
