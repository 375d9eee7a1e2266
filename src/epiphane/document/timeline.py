"""Shots: stretches of footage on the timeline, and how they lie in the frame."""

from enum import Enum
from typing import Annotated

from msgspec import Meta, Struct

from epiphane.document.ids import (
    FootageId,
    Frames,
    Seconds,
    ShotId,
)


class Beyond(Enum):
    """What a shot shows that outlasts its footage: slowed first, played again, or there and back.

    One that cannot be slowed any more goes there and back.
    """

    SLOW = "slow"
    REPEAT = "repeat"
    MIRROR = "mirror"


class Fit(Enum):
    """How a picture of another shape comes into the frame: whole, covering it, or pulled to its shape."""

    WHOLE = "whole"
    COVER = "cover"
    STRETCH = "stretch"


class Travel(Enum):
    """How the frame moves over a shot while it lasts."""

    REST = "rest"
    PUSH = "push"
    DRIFT = "drift"


class Framing(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a shot lies in the frame: fitted, then scaled about its middle, then moved.

    `x` and `y` are shares of the frame's width and height, to the right and down. A push comes nearer by
    `reach`, a drift goes sideways by it, over the length of the shot.
    """

    fit: Fit = Fit.COVER
    scale: Annotated[float, Meta(ge=0.05, le=20)] = 1.0
    x: Annotated[float, Meta(ge=-5, le=5)] = 0.0
    y: Annotated[float, Meta(ge=-5, le=5)] = 0.0
    travel: Travel = Travel.REST
    reach: Annotated[float, Meta(ge=-0.5, le=1)] = 0.08


class BlendMode(Enum):
    """How a picture is laid over what is below it: the formulas of W3C Compositing and Blending Level 1."""

    NORMAL = "normal"
    ADD = "add"
    SCREEN = "screen"
    MULTIPLY = "multiply"
    OVERLAY = "overlay"
    SOFT_LIGHT = "soft light"
    HARD_LIGHT = "hard light"
    LIGHTEN = "lighten"
    DARKEN = "darken"
    DIFFERENCE = "difference"
    DODGE = "dodge"
    BURN = "burn"


class Pin(Struct, frozen=True, forbid_unknown_fields=True):
    """The moment of a shot, in seconds of its footage, and the hit of the song that it falls on."""

    moment: Seconds
    hit: Seconds


class Shot(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """A stretch of footage on the timeline.

    `start` and `n_frames` are frames of the project; `source_start` is the instant of the footage,
    in seconds from its first picture, that the shot's first frame shows; it lies before the footage
    where a moment comes too early for the hit it falls on. `speed` is seconds of footage a second;
    before and after the used part of the footage it is played again, or there and back, by `beyond`;
    where it has `bounds`, two instants of the footage, before and after those.
    """

    id: ShotId
    footage: FootageId
    start: Frames
    n_frames: Annotated[int, Meta(ge=1, le=1_000_000_000)]
    source_start: Annotated[float, Meta(ge=-86_400, le=864_000)] = 0.0
    speed: Annotated[float, Meta(ge=0.05, le=20)] = 1.0
    beyond: Beyond = Beyond.MIRROR
    bounds: tuple[Seconds, Seconds] | None = None
    pin: Pin | None = None
    framing: Framing = Framing()
    is_locked: bool = False
