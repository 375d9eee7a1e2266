"""The shape of a cue: how its level rises to the peak, holds, and falls."""

from enum import Enum
from itertools import pairwise
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import Share


class Ease(Enum):
    """How a side of an envelope bends; where it is free, through points of its own."""

    LINEAR = "linear"
    IN = "in"
    OUT = "out"
    BOTH = "both"
    OVERSHOOT = "overshoot"
    BOUNCE = "bounce"
    FREE = "free"


class LengthUnit(Enum):
    """In what the sides of an envelope are measured: frames of the project, or beats at the cue's hit."""

    FRAMES = "frames"
    BEATS = "beats"


PARTS_OF_A_BEAT = 16
"""Into which lengths in beats are dragged; they may be typed more finely."""

Length: TypeAlias = Annotated[float, Meta(ge=0, le=600)]


class CurvePoint(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A point of a free side: ``[share of the side 0-1, level 0-1]``."""

    at: Share
    level: Share


LEAST_APART = 0.001
"""Between neighbouring points of a curve, as a share of its side."""

Curve: TypeAlias = Annotated[tuple[CurvePoint, ...], Meta(max_length=16)]


class Envelope(Struct, frozen=True, forbid_unknown_fields=True, cache_hash=True):
    """Rise, hold and fall of a cue around its peak frame, each a whole number of frames when it is fired.

    The peak comes `lead` frames before the frame of the hit, or after it below 0: on it unless told
    otherwise. A free side goes from one of its ends to the other through the points of its curve, of which
    none may be beside another.
    """

    rise: Length = 2
    hold: Length = 0
    fall: Length = 9
    rise_ease: Ease = Ease.IN
    fall_ease: Ease = Ease.OUT
    lead: Annotated[int, Meta(ge=-240, le=240)] = 0
    unit: LengthUnit = LengthUnit.FRAMES
    rise_curve: Curve = ()
    fall_curve: Curve = ()

    def __post_init__(self) -> None:
        for curve in (self.rise_curve, self.fall_curve):
            places = [0.0, *(point.at for point in curve), 1.0]
            if any(later - earlier < LEAST_APART for earlier, later in pairwise(places)):
                raise ValueError("the points of a curve must go on by a thousandth of the side at least")
