"""The envelope as a picture whose corners are dragged."""

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.desk import theme
from epiphane.document.envelope import Envelope
from epiphane.keying.envelope import envelope_level

_PAD_X, _PAD_TOP, _PAD_BOTTOM = 16, 16, 22
_LEAST_BEFORE, _LEAST_AFTER = 4, 14
_GRAB = 12
_SIDES = ("rise", "hold", "fall")


class EnvelopePicture(QWidget):
    """Rise, hold and fall over the frames around the hit.

    Signals
    -------
    changed(side: str, n_frames: int)
        ``rise``, ``hold`` or ``fall`` was dragged, or changed with Left and Right.
    released()
        A drag has ended.
    """

    changed = pyqtSignal(str, int)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._envelope = Envelope()
        self._colour = QColor(theme.TEXT)
        self._held: str | None = None
        self._corner = 0
        self._range = (-_LEAST_BEFORE, _LEAST_AFTER)
        self.setMinimumSize(260, 116)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Envelope")
        self.setToolTip(
            "Drag the corners: rise, hold and fall in frames. Keys: Tab to it, 1 2 3 choose, ← → change"
        )
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(400, 122)

    def show_envelope(self, envelope: Envelope, colour: QColor) -> None:
        """Show an envelope."""
        self._envelope, self._colour = envelope, colour
        if self._held is None:  # while dragging the ruler stays where it is
            last = envelope.hold + envelope.fall
            self._range = (
                -max(_LEAST_BEFORE, envelope.rise + 1),
                max(_LEAST_AFTER, round(last * 1.15) + 1, envelope.lead + 2),
            )
        self.update()

    def corner(self, side: str) -> QPointF:
        """Return where the corner of a side is drawn."""
        envelope = self._envelope
        at = {"rise": -envelope.rise, "hold": envelope.hold, "fall": envelope.hold + envelope.fall}[side]
        return QPointF(self._x(at), self._y(1.0 if side == "hold" else 0.0))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.GROUND)
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        self._paint_frames(painter)
        curve = self._curve()
        filled = QPainterPath(curve)
        filled.lineTo(self._x(self._range[1]), self._y(0))
        filled.closeSubpath()
        tint = QColor(self._colour)
        tint.setAlpha(64)
        painter.fillPath(filled, tint)
        painter.setPen(QPen(self._colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(curve)
        for index, side in enumerate(_SIDES):
            is_chosen = self.hasFocus() and index == self._corner
            painter.setPen(QPen(theme.TEXT if is_chosen else self._colour, 2))
            painter.setBrush(self._colour if is_chosen else theme.GROUND)
            painter.drawEllipse(self.corner(side), 4.5, 4.5)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        distances = {side: (self.corner(side) - event.position()).manhattanLength() for side in _SIDES}
        nearest = min(distances, key=lambda side: distances[side])
        if distances[nearest] <= 2 * _GRAB:
            self._held = nearest
            self._corner = _SIDES.index(nearest)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is None:
            near = any((self.corner(s) - event.position()).manhattanLength() <= _GRAB for s in _SIDES)
            self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.ArrowCursor)
            return
        frame = round(self._frame(event.position().x()))
        n_frames = {"rise": -frame, "hold": frame, "fall": frame - self._envelope.hold}[self._held]
        self._change(self._held, n_frames)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.show_envelope(self._envelope, self._colour)
        self.released.emit()

    def event(self, event: QEvent | None) -> bool:
        # These keys mean something else in the rest of the window.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            arrows = (Qt.Key.Key_Left, Qt.Key.Key_Right)
            if event.text() in ("1", "2", "3") or event.key() in arrows:
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.text() in ("1", "2", "3"):
            self._corner = int(event.text()) - 1
            self.update()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            side = _SIDES[self._corner]
            outward = 1 if (event.key() == Qt.Key.Key_Right) != (side == "rise") else -1
            self._change(side, getattr(self._envelope, side) + outward)
            self.released.emit()
        else:
            super().keyPressEvent(event)

    def _change(self, side: str, n_frames: int) -> None:
        n_frames = min(max(n_frames, 0), 600)
        if n_frames != getattr(self._envelope, side):
            self.changed.emit(side, n_frames)

    def _paint_frames(self, painter: QPainter) -> None:
        first, last = self._range
        painter.setFont(theme.numbers(8))
        step = 4 if last - first <= 48 else 4 * round((last - first) / 40)
        lead = self._envelope.lead
        for frame in range(first, last + 1):
            from_hit = frame - lead
            is_named = from_hit % step == 0
            if last - first > 64 and not is_named:
                continue
            painter.setPen(QPen(theme.RULE if is_named else theme.RAISED, 1))
            painter.drawLine(QPointF(self._x(frame), self._y(1) - 4), QPointF(self._x(frame), self._y(0)))
            if is_named:
                painter.setPen(theme.TEXT if from_hit == 0 else theme.QUIET)
                box = QRectF(self._x(frame) - 22, self.height() - 19, 44, 16)
                painter.drawText(
                    box, Qt.AlignmentFlag.AlignCenter, "hit" if from_hit == 0 else f"{from_hit:+d}"
                )

    def _curve(self) -> QPainterPath:
        first, last = self._range
        envelope = self._envelope
        corners = [-envelope.rise, 0, envelope.hold, envelope.hold + envelope.fall]
        offsets = np.unique(np.concatenate([np.linspace(first, last, 181), np.array(corners, float)]))
        levels = envelope_level(envelope, offsets)
        path = QPainterPath(QPointF(self._x(first), self._y(0)))
        for offset, level in zip(offsets, levels, strict=True):
            path.lineTo(self._x(float(offset)), self._y(float(level)))
        return path

    def _x(self, frame: float) -> float:
        first, last = self._range
        return _PAD_X + (frame - first) / (last - first) * (self.width() - 2 * _PAD_X)

    def _frame(self, x: float) -> float:
        first, last = self._range
        return first + (x - _PAD_X) / (self.width() - 2 * _PAD_X) * (last - first)

    def _y(self, level: float) -> float:
        return self.height() - _PAD_BOTTOM - level * (self.height() - _PAD_TOP - _PAD_BOTTOM)
