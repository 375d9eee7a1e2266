"""When text lands, and how far it has arrived or left on a frame."""

from fractions import Fraction

from msgspec import Struct

from epiphane.document.text import TextFill
from epiphane.document.timeline import Item
from epiphane.timing import frame_at


class TextClock(Struct, frozen=True):
    """How much of its arrival and of its leaving is over, 0 to 1; None where it does neither.

    The steps are what more is over on the next frame.
    """

    arrived: float | None = None
    left: float | None = None
    step: float = 0.0


def landing_frame(item: Item, rate: Fraction) -> int:
    """Return the frame from which on a text has arrived: that of its hit, or as early as it can."""
    if item.pin is not None:
        return frame_at(item.pin.hit, rate)
    fill = item.content
    flight = fill.arrive.frames if isinstance(fill, TextFill) and fill.arrive is not None else 0
    return item.start + flight


def text_clock(item: Item, fill: TextFill, frame: int, rate: Fraction) -> TextClock | None:
    """Return how far a text has arrived or left on a frame of its item, or None before it comes."""
    landing = landing_frame(item, rate)
    if frame < landing:
        if fill.arrive is None:
            return None
        flight = fill.arrive.frames
        arrived = 1 - (landing - frame) / flight
        return None if arrived < 0 else TextClock(round(arrived, 6), step=round(1 / flight, 6))
    if fill.leave is not None and frame >= item.end - fill.leave.frames:
        whole = fill.leave.frames + 1
        left = (frame - (item.end - fill.leave.frames) + 1) / whole
        return TextClock(left=round(left, 6), step=round(1 / whole, 6))
    return TextClock()
