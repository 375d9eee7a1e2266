"""The envelope as a picture whose corners, and the points of whose free sides, are dragged."""

from collections.abc import Collection
from fractions import Fraction
from typing import TypeAlias

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen

from epiphane.desk.bench.point_curve import PointCurve
from epiphane.desk.look import theme
from epiphane.document.envelope import PARTS_OF_A_BEAT, CurvePoint, Ease, Envelope, LengthUnit
from epiphane.keying.envelope import envelope_level, in_frames
from epiphane.wording import tr

_PAD_X, _PAD_TOP, _PAD_BOTTOM = 16, 16, 22
_LEAST_BEFORE, _LEAST_AFTER = 4, 14
_SIDES = ("rise", "hold", "fall")
_BENT = ("rise", "fall")
_MOST_POINTS = 16
_POINTS_APART, _POINT_STEP = 0.02, 0.05

Handle: TypeAlias = tuple[str, int | None]
"""What is dragged: the corner of a side, or a point of its curve by its number."""


class EnvelopePicture(PointCurve[Handle]):
    """Rise, hold and fall over the frames, or the sixteenths of a beat, around the hit.

    Signals
    -------
    changed(changes: dict, gesture: str)
        Fields of the envelope have other values: a corner or a point was dragged, or moved by keys.
    """

    changed = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__(
            tr("Envelope"),
            tr(
                "Drag the corners: rise, hold and fall. Where a side is free, drag its points; a "
                "double click puts one there or takes it away. Keys: Tab to it, 1 2 3 … choose, arrows "
                "change, Delete"
            ),
            width=260,
            height=116,
        )
        self._envelope, self._origin = Envelope(), tr("hit")
        self._drawn = self._envelope
        self._beat_frames = 15.0
        self._colour = QColor(theme.TEXT)
        self._chosen = ("rise", None)
        self._range = (-_LEAST_BEFORE, _LEAST_AFTER)

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
        if self._chosen not in self.handles():
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
        for handle in self.handles():
            self.paint_handle(painter, handle, self._colour, 4.5 if handle[1] is None else 3.2)
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

    # What is done with handles

    def handles(self) -> list[Handle]:
        points: list[Handle] = [(side, n) for side in _BENT for n in range(len(self._curve_of(side)))]
        return [*((side, None) for side in _SIDES), *points]

    def place(self, handle: Handle) -> QPointF:
        side, number = handle
        return self.corner(side) if number is None else self.point(side, number)

    def cursor_over(self, handle: Handle) -> Qt.CursorShape:
        return Qt.CursorShape.SizeHorCursor if handle[1] is None else Qt.CursorShape.SizeAllCursor

    def keys_of(self, handle: Handle | None) -> Collection[Qt.Key]:
        is_corner = handle is None or handle[1] is None
        return (Qt.Key.Key_Left, Qt.Key.Key_Right) if is_corner else super().keys_of(handle)

    def drag_to(self, handle: Handle, at: QPointF) -> None:
        side, number = handle
        place = self._step_at(at.x())
        if number is None:
            length = {"rise": -place, "hold": place, "fall": place - self._drawn.hold}[side]
            self._change(side, round(length) / self._steps)
        else:
            start, length = self._extent(side)
            share = (place - start) / length if length else 0.5
            self._move_point(side, number, share, self._level_at(at.y()))

    def let_go(self) -> None:
        self._held = None
        self.show_envelope(self._envelope, self._colour, self._beat_frames)
        super().let_go()

    def step(self, handle: Handle, across: int, up: int) -> None:
        side, number = handle
        if number is None:
            outward = -across if side == "rise" else across
            self._change(side, getattr(self._envelope, side) + outward / self._steps)
        else:
            point = self._curve_of(side)[number]
            self._move_point(side, number, point.at + across * _POINT_STEP, point.level + up * _POINT_STEP)

    def add_at(self, at: QPointF) -> None:
        place = self._step_at(at.x())
        for side in _BENT:
            start, length = self._extent(side)
            if length and start < place < start + length:
                self._add_point(side, (place - start) / length, self._level_at(at.y()))

    def remove(self, handle: Handle) -> None:
        side, number = handle
        if number is not None:
            curve = self._curve_of(side)
            self._chosen = (side, None)
            self.changed.emit({f"{side}_curve": (*curve[:number], *curve[number + 1 :])}, None)

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
            self.changed.emit({f"{side}_curve": moved}, tr("{side} curve", side=side))

    def _add_point(self, side: str, share: float, level: float) -> None:
        if getattr(self._envelope, f"{side}_ease") is not Ease.FREE:
            return
        curve = self._curve_of(side)
        is_free = all(abs(share - edge) > _POINTS_APART for edge in (0.0, 1.0, *(p.at for p in curve)))
        if is_free and len(curve) < _MOST_POINTS:
            made = CurvePoint(round(share, 3), round(min(max(level, 0.0), 1.0), 3))
            points = tuple(sorted((*curve, made), key=lambda point: point.at))
            self.changed.emit({f"{side}_curve": points}, None)

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
