"""Where a cue lies when it is drawn."""

from msgspec import Struct

LEAST_RISE, LEAST_FALL = 0.4, 0.6
"""Frames that a side without a length is drawn as."""


class CueOutline(Struct, frozen=True):
    """Where a cue lies: its peak, and the ends of its sides, in pixels."""

    left: float
    peak: float
    hold_end: float
    right: float
    height: float
