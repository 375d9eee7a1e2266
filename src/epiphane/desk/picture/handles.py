"""What is painted over a picture and dragged there."""

import math
from typing import Protocol

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from epiphane.document.timeline import Framing

GRAB_PIXELS = 12
"""How near to a corner a press holds it."""
SNAP_PIXELS = 7


class Handles(Protocol):
    """What is painted over a picture and dragged there; the picture lies in a `room` of the view.

    It is painted while the pointer is over the picture, or at all times where it `is_always_seen`.
    """

    @property
    def is_always_seen(self) -> bool:
        """Whether it is painted wherever the pointer is."""
        ...

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint them, if there is something to be dragged."""

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return which pointer says what a press there does: an arrow, if nothing."""
        ...

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Hold what is there; False where there is nothing."""
        ...

    def move(self, at: QPointF, room: QRectF) -> None:
        """Bring what is held to a point."""

    def release(self) -> None:
        """Let go."""


class Placed(Struct, frozen=True, eq=False):
    """Where a picture lies in the view: its middle, its width and height there, and how it is turned."""

    middle: QPointF
    width: float
    height: float
    radians: float

    def point(self, across: float, down: float) -> QPointF:
        """Return where a place lies in the view, in shares of the picture from its middle."""
        x, y = across * self.width, down * self.height
        cos, sin = math.cos(self.radians), math.sin(self.radians)
        return self.middle + QPointF(cos * x - sin * y, sin * x + cos * y)

    def shares(self, at: QPointF) -> tuple[float, float]:
        """Return which place a point of the view shows, in shares of the picture from its middle."""
        away = at - self.middle
        cos, sin = math.cos(self.radians), math.sin(self.radians)
        across, down = cos * away.x() + sin * away.y(), -sin * away.x() + cos * away.y()
        return across / max(self.width, 1e-6), down / max(self.height, 1e-6)


def placed(framing: Framing, size: tuple[float, float], room: QRectF) -> Placed:
    """Return where a picture lies in a view, whose size is in shares of the frame that lies in `room`."""
    middle = QPointF(
        room.left() + (0.5 + framing.x) * room.width(), room.top() + (0.5 + framing.y) * room.height()
    )
    width, height = size[0] * framing.scale * room.width(), size[1] * framing.scale * room.height()
    return Placed(middle, width, height, math.radians(framing.rotation))


def length_of(vector: QPointF) -> float:
    """Return the length of a vector, in its unit."""
    return math.hypot(vector.x(), vector.y())
