"""A lane: one effect, what fires it, with which shape and values, and changes to single cues."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct, field

from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId, Seconds, Share, TrackId
from epiphane.document.pick import Pick
from epiphane.document.titles import TextFill


class Trigger(Enum):
    """What a cue does: the level takes its envelope, goes a step on, or is on until the next cue.

    A lane that follows has no cues: its level is that of a band of the song. One that is on over spans has a
    cue for each span, which rises at its start and falls at its end.
    """

    FIRE = "fire"
    STEP = "step"
    TOGGLE = "toggle"
    FOLLOW = "follow"
    SPAN = "span"


class Follow(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a lane follows the band from `low` to `high` Hz.

    Its level is 0 where the band is at `quiet` or below, 1 at `loud` or above, both as shares of the way in
    decibels from silence to the band's loudest moment. It goes up by the time constant `attack` and down by
    `release`, in milliseconds. `heard` is what was found when it was last listened to, a byte each hundredth
    of a second from the first sample of the song's file, whatever of it is used.
    """

    low: Annotated[float, Meta(ge=20, le=20_000)] = 40.0
    high: Annotated[float, Meta(ge=20, le=20_000)] = 160.0
    quiet: Share = 0.7
    loud: Share = 0.97
    attack: Annotated[float, Meta(ge=0, le=5000)] = 0.0
    release: Annotated[float, Meta(ge=0, le=5000)] = 150.0
    heard: Annotated[bytes, Meta(max_length=9_000_000)] = b""


class Overlap(Enum):
    """What becomes of cues of a lane that overlap: the stronger one counts, or they add."""

    STRONGER = "stronger"
    ADD = "add"


class Setting(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The value of one parameter of a lane's effect.

    Numbers have a value at rest and one at the peak, texts (colours, choices) only `peak`. From cue to cue,
    or step by step where cues step, it goes through `peak` and what comes `then`, and begins again; numbers
    go away from that by chance, by `wander` at most, drawn from the lane's seed and the hit.
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


Settings: TypeAlias = Annotated[tuple[Setting, ...], Meta(max_length=100)]


class EffectInstance(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """An effect, or a transition, with the values that are set of it."""

    effect: str
    settings: Settings = ()


class Span(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A stretch of the song: ``[start, end]``, in seconds."""

    start: Seconds
    end: Seconds

    def __post_init__(self) -> None:
        if self.end <= self.start:
            raise ValueError("a span must end after its start")


class AccentSound(Enum):
    """The sounds that are shipped to go with cues."""

    WHOOSH = "whoosh"
    THUMP = "thump"
    RISER = "riser"
    CLICK = "click"
    TAPE_STOP = "tape stop"
    REVERSE_SWELL = "reverse swell"


class AccentPoint(Enum):
    """What of a sound falls on the frame of its cue: where it begins to be heard, or where it is loudest."""

    ATTACK = "attack"
    PEAK = "peak"


class Accent(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A sound, shipped or of the shelf, that is heard with a cue, its attack or its peak on the cue's frame.

    The gain is in decibels.
    """

    sound: AccentSound | FootageId
    gain: Annotated[float, Meta(ge=-48, le=24)] = -6.0
    point: AccentPoint = AccentPoint.ATTACK


class Override(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """A change to the cue of one hit; `hit` is the hit's time in seconds.

    Where it is `taken`, the cue fires though the pick leaves its hit out. `settings` take the place of the
    lane's own by their names; with another `effect` they are that one's, and the lane's mean nothing.
    """

    hit: Seconds
    off: bool = False
    taken: bool = False
    strength: Annotated[float, Meta(ge=0, le=2)] | None = None
    nudge: Annotated[int, Meta(ge=-240, le=240)] = 0
    envelope: Envelope | None = None
    effect: str | None = None
    settings: Settings = ()
    clip: FootageId | None = None
    accent: Accent | None = None

    @property
    def says_nothing(self) -> bool:
        """Whether the cue is as it would be without this override."""
        return self == Override(self.hit)


class Lane(Struct, frozen=True, forbid_unknown_fields=True, tag="lane"):
    """One effect, or one transition at the cuts, fired by one pulse.

    `depth` scales every cue, `wander` is the share of its strength that a cue may lose at random
    (drawn from `seed` and the hit, so it is the same every time), `by_strength` the share of it that goes
    with the strength of the hit. Where its `trigger` is to step, the level is back at rest after `n_steps`
    steps. Where it has `shots`, it does nothing on others; one that landings fire may have titles there.
    Where a lane `is_solo`, those that are not fire nothing. `name` is the user's own, empty where there is
    none.

    From cue to cue its effect is one of its own and the `alternatives`, by chance, never the same twice in a
    row. Where it has `spans`, it takes hits within them only, and what steps or switches on in one is at rest
    again when it ends; where its `trigger` is to be on over spans, it
    is so over these, or else over what its pick lies in. Where it lays footage over the picture, each cue
    plays the next of its `clips`. It acts on all that stands before it in the stack, or on one `track` alone.
    With its cues an `accent` is heard. A row that is locked is not changed, one that is folded is drawn low,
    one that `is_dressed` was made by dressing the song.
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
    trigger: Trigger = Trigger.FIRE
    n_steps: Annotated[int, Meta(ge=1, le=32)] = 4
    follow: Follow = Follow()
    overlap: Overlap = Overlap.STRONGER
    is_muted: bool = field(default=False, name="muted")  # as the files call it
    is_solo: bool = False
    shots: Annotated[tuple[ItemId, ...], Meta(max_length=200_000)] = ()
    settings: Settings = ()
    overrides: Annotated[tuple[Override, ...], Meta(max_length=200_000)] = ()
    name: Annotated[str, Meta(max_length=100)] = ""
    alternatives: Annotated[tuple[EffectInstance, ...], Meta(max_length=16)] = ()
    spans: Annotated[tuple[Span, ...], Meta(max_length=10_000)] = ()
    track: TrackId | None = None
    clips: Annotated[tuple[FootageId, ...], Meta(max_length=1000)] = ()
    is_locked: bool = False
    is_folded: bool = False
    is_dressed: bool = False
    accent: Accent | None = None
    words: TextFill | None = None

    @property
    def used_footage(self) -> set[FootageId]:
        """The numbers of the footage that it or one of its cues shows or plays."""
        shown = {*self.clips, *(one.clip for one in self.overrides if one.clip is not None)}
        accents = (self.accent, *(one.accent for one in self.overrides))
        sounds = (one.sound for one in accents if one is not None)
        if self.words is not None and self.words.footage is not None:
            shown.add(self.words.footage)
        return shown | {one for one in sounds if not isinstance(one, AccentSound)}

    @property
    def instance(self) -> EffectInstance:
        """Its effect with its own settings."""
        return EffectInstance(self.effect, self.settings)
