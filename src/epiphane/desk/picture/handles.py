"""What is painted over a picture and dragged there."""

import math
from typing import Protocol

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

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


def length_of(vector: QPointF) -> float:
    """Return the length of a vector, in its unit."""
    return math.hypot(vector.x(), vector.y())
