"""A lane: one effect, what fires it, with which shape and values, and changes to single cues."""

from enum import Enum
from typing import Annotated

from msgspec import Meta, Struct

from epiphane.document.ids import LaneId, PulseId, Seconds, Share
from epiphane.document.pick import Pick


class Ease(Enum):
    """How a side of an envelope bends."""

    LINEAR = "linear"
    IN = "in"
    OUT = "out"
    BOTH = "both"
    OVERSHOOT = "overshoot"
    BOUNCE = "bounce"


class Envelope(Struct, frozen=True, forbid_unknown_fields=True):
    """Rise, hold and fall of a cue, in frames of the project around its peak frame.

    The peak comes `lead` frames before the frame of the hit: on it unless told otherwise.
    """

    rise: Annotated[int, Meta(ge=0, le=600)] = 2
    hold: Annotated[int, Meta(ge=0, le=600)] = 0
    fall: Annotated[int, Meta(ge=0, le=600)] = 9
    rise_ease: Ease = Ease.IN
    fall_ease: Ease = Ease.OUT
    lead: Annotated[int, Meta(ge=0, le=240)] = 0


class Way(Enum):
    """What a cue does: the level takes its envelope, goes a notch on, or is on until the next cue."""

    FIRE = "fire"
    STEP = "step"
    TOGGLE = "toggle"


class Overlap(Enum):
    """What becomes of cues of a lane that overlap: the stronger one counts, or they add."""

    STRONGER = "stronger"
    ADD = "add"


class Setting(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The value of one parameter of a lane's effect.

    Numbers have a value at rest and one at the peak, texts (colours, choices) only `peak`. From cue to cue it
    goes through `peak` and what comes `then`, and begins again; numbers go away from that by chance, by
    `wander` at most, drawn from the lane's seed and the hit.
    """

    name: str
    peak: float | str
    rest: float | None = None
    then: Annotated[tuple[float | str, ...], Meta(max_length=32)] = ()
    wander: Annotated[float, Meta(ge=0, le=1e6)] = 0.0

    @property
    def is_varied(self) -> bool:
        """Whether it is not the same at every cue."""
        return bool(self.then) or self.wander > 0


class Override(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A change to the cue of one hit; `hit` is the hit's time in seconds."""

    hit: Seconds
    off: bool = False
    strength: Annotated[float, Meta(ge=0, le=2)] | None = None
    nudge: Annotated[int, Meta(ge=-240, le=240)] = 0

    @property
    def says_nothing(self) -> bool:
        """Whether the cue is as it would be without this override."""
        return not self.off and self.strength is None and self.nudge == 0


class Lane(Struct, frozen=True, forbid_unknown_fields=True):
    """One effect fired by one pulse.

    `depth` scales every cue, `wander` is the share of its strength that a cue may lose at random
    (drawn from `seed` and the hit, so it is the same every time), `by_strength` the share of it that goes
    with the strength of the hit. Where its `way` is to step, the level is back at rest after `n_steps`
    notches. Where a lane `is_solo`, those that are not fire nothing.
    """

    id: LaneId
    effect: str
    pulse: PulseId
    envelope: Envelope = Envelope()
    depth: Share = 1.0
    wander: Share = 0.0
    by_strength: Share = 0.0
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1
    pick: Pick = Pick()
    way: Way = Way.FIRE
    n_steps: Annotated[int, Meta(ge=1, le=32)] = 4
    overlap: Overlap = Overlap.STRONGER
    muted: bool = False
    is_solo: bool = False
    settings: tuple[Setting, ...] = ()
    overrides: tuple[Override, ...] = ()
