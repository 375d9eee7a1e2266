"""Marks that several panels paint (heads of hits, pins of moments), and how fine they are painted."""

import math
from functools import cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from epiphane.desk.look import theme
from epiphane.document.pulse import Pulse, kind_of_source
from epiphane.document.song import DRUMS
from epiphane.effects.declare import Family

_LEAST_REACH, _MOST_REACH = 1.3, 3.6
_SHARE_OF_ROOM, _NARROWEST = 0.36, 0.6


def head_of(pulse: Pulse) -> str:
    """Return the kind of note head that a pulse's hits are drawn with."""
    if pulse.unit is not None and pulse.unit.value in DRUMS:
        return pulse.unit.value
    return kind_of_source(pulse.source)


def paint_head(
    painter: QPainter, head: str, x: float, y: float, strength: float, *, room: float = math.inf
) -> None:
    """Paint a note head, its size the strength, no wider than the room to its nearest neighbour.

    Drums are ovals and cymbals crosses, taps hollow ovals, a band's hits squares, those of the grid and of a
    tempo upright strokes, those of two pulses diamonds.
    """
    reach = _LEAST_REACH + (_MOST_REACH - _LEAST_REACH) * strength
    wide = min(reach, max(_SHARE_OF_ROOM * room, _NARROWEST))
    if head == "hat":
        reach, wide = 0.75 * reach, min(0.75 * reach, wide)
        painter.setPen(QPen(theme.TEXT, min(1.1, 0.5 + wide / 4)))
        painter.drawLine(QPointF(x - wide, y - reach), QPointF(x + wide, y + reach))
        painter.drawLine(QPointF(x - wide, y + reach), QPointF(x + wide, y - reach))
    elif head in ("heard", "tempo"):
        painter.setPen(QPen(theme.TEXT, 1.6 if head == "heard" else 1.0))
        painter.drawLine(QPointF(x, y - reach), QPointF(x, y + reach))
    elif head == "tapped":
        painter.setPen(QPen(theme.TEXT, 1.1))
        painter.setBrush(theme.GROUND)
        painter.drawEllipse(QPointF(x, y), wide * 1.15, reach * 0.9)
    else:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.TEXT)
        if head == "band":
            painter.drawRect(QRectF(x - wide * 0.9, y - reach * 0.9, wide * 1.8, reach * 1.8))
        elif head == "combined":
            corners = ((0, -1.2), (1.2, 0), (0, 1.2), (-1.2, 0))
            painter.drawPolygon(QPolygonF([QPointF(x + wide * a, y + reach * b) for a, b in corners]))
        else:
            painter.drawEllipse(QPointF(x, y), wide * 1.15, reach * 0.9)


def paint_pin(painter: QPainter, x: float, base: float, is_filled: bool, *, height: float = 9) -> None:
    """Paint a moment: a stalk standing on `base` with a head, hollow while it is only proposed."""
    painter.setPen(QPen(theme.GROUND, 3))
    painter.drawLine(QPointF(x, base), QPointF(x, base - height))
    painter.setPen(QPen(theme.TEXT, 1.2))
    painter.setBrush(theme.TEXT if is_filled else theme.GROUND)
    painter.drawLine(QPointF(x, base), QPointF(x, base - height + 3))
    painter.drawEllipse(QPointF(x, base - height + 1), 2.6, 2.6)


@cache
def family_shape(family: Family | None) -> QPainterPath:
    """Return the shape that a family has beside its colour, within 1 of its middle; a cross is of none.

    Light is a disc, motion a bar that leans on, a glitch two bars that have slipped, focus a lens, colour an
    hourglass, the frame a frame: so they are told apart by who does not see their colours.
    """
    path = QPainterPath()
    match family:
        case Family.LIGHT:
            path.addEllipse(QPointF(0, 0), 0.95, 0.95)
        case Family.MOTION:
            path.addPolygon(_polygon((-0.15, -0.85), (1.15, -0.85), (0.15, 0.85), (-1.15, 0.85)))
        case Family.GLITCH:
            path.addRect(QRectF(-1, -0.85, 1.45, 0.75))
            path.addRect(QRectF(-0.45, 0.1, 1.45, 0.75))
        case Family.FOCUS:
            path.moveTo(0, -1)
            path.quadTo(1.15, 0, 0, 1)
            path.quadTo(-1.15, 0, 0, -1)
        case Family.COLOUR:
            path.addPolygon(
                _polygon((-0.9, -0.95), (0.9, -0.95), (0.15, 0), (0.9, 0.95), (-0.9, 0.95), (-0.15, 0))
            )
        case Family.FRAME:
            path.addRect(QRectF(-0.95, -0.95, 1.9, 1.9))
            path.addRect(QRectF(-0.4, -0.4, 0.8, 0.8))
        case _:
            path.addPolygon(_polygon((-1, -0.6), (-0.6, -1), (1, 0.6), (0.6, 1)))
            path.addPolygon(_polygon((1, -0.6), (0.6, -1), (-1, 0.6), (-0.6, 1)))
    path.closeSubpath()
    return path


def paint_family(painter: QPainter, family: Family | None, at: QPointF, reach: float, colour: QColor) -> None:
    """Paint the shape of a family, `reach` pixels to all sides."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(at)
    painter.scale(reach, reach)
    painter.fillPath(family_shape(family), colour)
    painter.restore()


def _polygon(*corners: tuple[float, float]) -> QPolygonF:
    return QPolygonF([QPointF(*one) for one in corners])


def ratio_of(painter: QPainter) -> float:
    """Return how many pixels of the device one is."""
    device = painter.device()
    return 1.0 if device is None else device.devicePixelRatioF()
