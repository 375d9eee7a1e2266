"""The envelope as a picture whose corners, and the points of whose free sides, are dragged."""

from fractions import Fraction
from typing import TypeAlias

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme
from epiphane.document.envelope import PARTS_OF_A_BEAT, CurvePoint, Ease, Envelope, LengthUnit
from epiphane.keying.envelope import envelope_level, in_frames

_PAD_X, _PAD_TOP, _PAD_BOTTOM = 16, 16, 22
_LEAST_BEFORE, _LEAST_AFTER = 4, 14
_GRAB = 12
_SIDES = ("rise", "hold", "fall")
_BENT = ("rise", "fall")
_MOST_POINTS = 16
_POINTS_APART, _POINT_STEP = 0.02, 0.05
_ARROWS = (Qt.Key.Key_Left, Qt.Key.Key_Right)
_POINT_KEYS = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete)

Handle: TypeAlias = tuple[str, int | None]
"""What is dragged: the corner of a side, or a point of its curve by its number."""


class EnvelopePicture(QWidget):
    """Rise, hold and fall over the frames, or the sixteenths of a beat, around the hit.

    Signals
    -------
    changed(changes: dict, gesture: str)
        Fields of the envelope have other values: a corner or a point was dragged, or moved by keys.
    released()
        A drag has ended.
    """

    changed = pyqtSignal(object, object)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._envelope, self._origin = Envelope(), "hit"
        self._drawn = self._envelope
        self._beat_frames = 15.0
        self._colour = QColor(theme.TEXT)
        self._held: Handle | None = None
        self._chosen: Handle = ("rise", None)
        self._range = (-_LEAST_BEFORE, _LEAST_AFTER)
        self.setMinimumSize(260, 116)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Envelope")
        self.setToolTip(
            "Drag the corners: rise, hold and fall. Where a side is free, drag its points; a double click "
            "puts one there or takes it away. Keys: Tab to it, 1 2 3 … choose, arrows change, Delete"
        )
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(400, 122)

    def show_envelope(self, envelope: Envelope, colour: QColor, beat_frames: float) -> None:
        """Show an envelope; `beat_frames` is how long a beat is where it is seen."""
        self._envelope, self._colour, self._beat_frames = envelope, colour, beat_frames
        scale = self._steps
        self._drawn = replace(
            envelope,
            unit=LengthUnit.FRAMES,
            lead=self._lead_steps(),
            **{side: getattr(envelope, side) * scale for side in _SIDES},
        )
        if self._chosen not in self._handles():
            self._chosen = ("rise", None)
        if self._held is None:  # while dragging the ruler stays where it is
            last = self._drawn.hold + self._drawn.fall
            self._range = (
                -max(_LEAST_BEFORE, round(self._drawn.rise) + 1),
                max(_LEAST_AFTER, round(last * 1.15) + 1, self._drawn.lead + 2),
            )
        self.update()

    def set_origin(self, word: str) -> None:
        """Say what its peak is on: a hit, or a cut."""
        self._origin = word
        self.update()

    def corner(self, side: str) -> QPointF:
        """Return where the corner of a side is drawn."""
        envelope = self._drawn
        at = {"rise": -envelope.rise, "hold": envelope.hold, "fall": envelope.hold + envelope.fall}[side]
        return QPointF(self._x(at), self._y(1.0 if side == "hold" else 0.0))

    def point(self, side: str, number: int) -> QPointF:
        """Return where a point of a free side is drawn."""
        point = self._curve_of(side)[number]
        start, length = self._extent(side)
        return QPointF(self._x(start + point.at * length), self._y(point.level))

    @property
    def _steps(self) -> float:
        return 1.0 if self._envelope.unit is LengthUnit.FRAMES else float(PARTS_OF_A_BEAT)

    def _lead_steps(self) -> int:
        lead = self._envelope.lead
        return round(lead * self._steps / self._beat_frames) if self._steps > 1 else lead

    def _curve_of(self, side: str) -> tuple[CurvePoint, ...]:
        """Return the points of a side; it has some only while it is free."""
        is_free = getattr(self._envelope, f"{side}_ease") is Ease.FREE
        curve: tuple[CurvePoint, ...] = getattr(self._envelope, f"{side}_curve")
        return curve if is_free else ()

    def _extent(self, side: str) -> tuple[float, float]:
        """Return where a bent side begins, and its length."""
        drawn = self._drawn
        return (-drawn.rise, drawn.rise) if side == "rise" else (drawn.hold, drawn.fall)

    def _handles(self) -> list[Handle]:
        points: list[Handle] = [(side, n) for side in _BENT for n in range(len(self._curve_of(side)))]
        return [*((side, None) for side in _SIDES), *points]

    def _place(self, handle: Handle) -> QPointF:
        side, number = handle
        return self.corner(side) if number is None else self.point(side, number)

    def _handle_at(self, position: QPointF, reach: float) -> Handle | None:
        away = {handle: (self._place(handle) - position).manhattanLength() for handle in self._handles()}
        nearest = min(away, key=lambda handle: (away[handle], handle[1] is None))
        return nearest if away[nearest] <= reach else None

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.GROUND)
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        self._paint_steps(painter)
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
        for handle in self._handles():
            is_chosen = handle == self._held or (self.hasFocus() and handle == self._chosen)
            painter.setPen(QPen(theme.TEXT if is_chosen else self._colour, 2))
            painter.setBrush(self._colour if is_chosen else theme.GROUND)
            reach = 4.5 if handle[1] is None else 3.2
            painter.drawEllipse(self._place(handle), reach, reach)
        if self._held is not None:
            self._paint_length(painter, self._held[0])

    def _paint_length(self, painter: QPainter, side: str) -> None:
        """Write beside the corner that is held how long its side is."""
        frames = round(getattr(in_frames(self._envelope, self._beat_frames), side))
        text = f"{side} {frames} f"
        painter.setFont(theme.numbers(8.5))
        width = painter.fontMetrics().horizontalAdvance(text)
        at = self.corner(side)
        left = min(max(at.x() - width / 2, 10), self.width() - width - 10)
        top = at.y() - 24 if side != "hold" else at.y() + 8
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.RAISED)
        painter.drawRoundedRect(QRectF(left - 5, top - 1, width + 10, 17), 4, 4)
        painter.setPen(theme.TEXT)
        painter.drawText(QRectF(left, top, width + 2, 15), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_steps(self, painter: QPainter) -> None:
        first, last = self._range
        painter.setFont(theme.numbers(8))
        step = 4 if last - first <= 48 else 4 * round((last - first) / 40)
        for place in range(first, last + 1):
            from_hit = place - self._drawn.lead
            is_named = from_hit % step == 0
            if last - first > 64 and not is_named:
                continue
            painter.setPen(QPen(theme.RULE if is_named else theme.RAISED, 1))
            painter.drawLine(QPointF(self._x(place), self._y(1) - 4), QPointF(self._x(place), self._y(0)))
            if is_named:
                painter.setPen(theme.TEXT if from_hit == 0 else theme.QUIET)
                box = QRectF(self._x(place) - 22, self.height() - 19, 44, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self._named(from_hit))

    def _named(self, from_hit: int) -> str:
        if from_hit == 0:
            return self._origin
        if self._steps == 1:
            return f"{from_hit:+d}"
        return f"{'+' if from_hit > 0 else '-'}{Fraction(abs(from_hit), PARTS_OF_A_BEAT)}"

    def _curve(self) -> QPainterPath:
        first, last = self._range
        drawn = self._drawn
        corners = [-drawn.rise, 0, drawn.hold, drawn.hold + drawn.fall]
        offsets = np.unique(np.concatenate([np.linspace(first, last, 181), np.array(corners, float)]))
        levels = envelope_level(drawn, offsets)
        path = QPainterPath(QPointF(self._x(first), self._y(0)))
        for offset, level in zip(offsets, levels, strict=True):
            path.lineTo(self._x(float(offset)), self._y(float(level)))
        return path

    # Mouse

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._held = self._handle_at(event.position(), 2 * _GRAB)
        if self._held is not None:
            self._chosen = self._held
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is None:
            near = self._handle_at(event.position(), _GRAB)
            shape = Qt.CursorShape.ArrowCursor
            if near is not None:
                shape = Qt.CursorShape.SizeHorCursor if near[1] is None else Qt.CursorShape.SizeAllCursor
            self.setCursor(shape)
            return
        side, number = self._held
        place = self._step_at(event.position().x())
        if number is None:
            length = {"rise": -place, "hold": place, "fall": place - self._drawn.hold}[side]
            self._change(side, round(length) / self._steps)
        else:
            start, length = self._extent(side)
            share = (place - start) / length if length else 0.5
            self._move_point(side, number, share, self._level_at(event.position().y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.show_envelope(self._envelope, self._colour, self._beat_frames)
        self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Put a point on a free side, or take away the one that is there."""
        if event is None:
            return
        handle = self._handle_at(event.position(), _GRAB)
        if handle is not None and handle[1] is not None:
            self._remove_point(handle[0], handle[1])
            return
        place = self._step_at(event.position().x())
        for side in _BENT:
            start, length = self._extent(side)
            if length and start < place < start + length:
                self._add_point(side, (place - start) / length, self._level_at(event.position().y()))

    # Keys

    def event(self, event: QEvent | None) -> bool:
        # These keys mean something else in the rest of the window.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            is_of_point = event.key() in _POINT_KEYS and self._chosen[1] is not None
            if (event.text().isdigit() and event.text() != "0") or event.key() in _ARROWS or is_of_point:
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        side, number = self._chosen
        if event.text().isdigit() and 0 < int(event.text()) <= len(self._handles()):
            self._chosen = self._handles()[int(event.text()) - 1]
            self.update()
        elif number is not None and event.key() in (*_ARROWS, *_POINT_KEYS):
            self._key_point(side, number, event.key())
            self.released.emit()
        elif event.key() in _ARROWS:
            outward = 1 if (event.key() == Qt.Key.Key_Right) != (side == "rise") else -1
            self._change(side, getattr(self._envelope, side) + outward / self._steps)
            self.released.emit()
        else:
            super().keyPressEvent(event)

    def _key_point(self, side: str, number: int, key: int) -> None:
        if key == Qt.Key.Key_Delete:
            self._remove_point(side, number)
            return
        point = self._curve_of(side)[number]
        across = {Qt.Key.Key_Left: -_POINT_STEP, Qt.Key.Key_Right: _POINT_STEP}.get(Qt.Key(key), 0.0)
        up = {Qt.Key.Key_Up: _POINT_STEP, Qt.Key.Key_Down: -_POINT_STEP}.get(Qt.Key(key), 0.0)
        self._move_point(side, number, point.at + across, point.level + up)

    # Changes

    def _change(self, side: str, length: float) -> None:
        length = min(max(length, 0.0), 600.0)
        if length != getattr(self._envelope, side):
            self.changed.emit({side: length}, side)

    def _move_point(self, side: str, number: int, share: float, level: float) -> None:
        curve = self._curve_of(side)
        low = (curve[number - 1].at if number else 0.0) + _POINTS_APART
        high = (curve[number + 1].at if number + 1 < len(curve) else 1.0) - _POINTS_APART
        at, level = round(min(max(share, low), high), 3), round(min(max(level, 0.0), 1.0), 3)
        if low <= high:
            moved = (*curve[:number], CurvePoint(at, level), *curve[number + 1 :])
            self.changed.emit({f"{side}_curve": moved}, f"{side} curve")

    def _add_point(self, side: str, share: float, level: float) -> None:
        if getattr(self._envelope, f"{side}_ease") is not Ease.FREE:
            return
        curve = self._curve_of(side)
        is_free = all(abs(share - edge) > _POINTS_APART for edge in (0.0, 1.0, *(p.at for p in curve)))
        if is_free and len(curve) < _MOST_POINTS:
            made = CurvePoint(round(share, 3), round(min(max(level, 0.0), 1.0), 3))
            points = tuple(sorted((*curve, made), key=lambda point: point.at))
            self.changed.emit({f"{side}_curve": points}, None)

    def _remove_point(self, side: str, number: int) -> None:
        curve = self._curve_of(side)
        self._chosen = (side, None)
        self.changed.emit({f"{side}_curve": (*curve[:number], *curve[number + 1 :])}, None)

    # What is where

    def _x(self, step: float) -> float:
        first, last = self._range
        return _PAD_X + (step - first) / (last - first) * (self.width() - 2 * _PAD_X)

    def _step_at(self, x: float) -> float:
        first, last = self._range
        return first + (x - _PAD_X) / (self.width() - 2 * _PAD_X) * (last - first)

    def _y(self, level: float) -> float:
        return self.height() - _PAD_BOTTOM - level * (self.height() - _PAD_TOP - _PAD_BOTTOM)

    def _level_at(self, y: float) -> float:
        return (self.height() - _PAD_BOTTOM - y) / (self.height() - _PAD_TOP - _PAD_BOTTOM)
