"""The Project and its parts: immutable, plain, and exactly what the file says.

Edits replace parts (`msgspec.structs.replace`); nothing here is ever changed in place.
"""

from collections.abc import Callable, Iterable
from enum import Enum
from fractions import Fraction
from typing import Annotated, Protocol, TypeAlias, TypeVar

from msgspec import Meta, Struct, field

from epiphane.document.footage import Footage
from epiphane.document.ids import (
    FilePath,
    Fingerprint,
    FootageId,
    Frames,
    Pixels,
    PulseId,
    Seconds,
    Share,
    ShotId,
)
from epiphane.document.lane import Lane
from epiphane.errors import EditError
from epiphane.timing import frames_covering

FORMAT_VERSION = 4


DRUMS = ("kick", "snare", "hat")
"""The drums that are heard apart: low drum, snare or clap, hi-hat or cymbal."""

BANDS = ("low", "mid", "high")
"""The bands whose clear rises are hits in every song; each stands in for the drum at its place in `DRUMS`."""

LEAST_SURE = 0.5
"""A drum that is heard less surely is stood in for."""


class Beat(Struct, frozen=True, gc=False, array_like=True, forbid_unknown_fields=True):
    """One beat: ``[time in seconds, place in its bar from 1, strength 0-1, how sure it is 0-1]``."""

    time: Seconds
    place: Annotated[int, Meta(ge=1, le=32)]
    strength: Share = 1.0
    sureness: Share = 1.0


class Hit(Struct, frozen=True, gc=False, array_like=True, forbid_unknown_fields=True):
    """One moment of the song: ``[time in seconds, strength 0-1]``."""

    time: Seconds
    strength: Share = 1.0


MOST_HITS = 200_000
"""Of a pulse or a drum, and beats of a song: a day at 140 BPM has as many."""

Hits: TypeAlias = Annotated[tuple[Hit, ...], Meta(max_length=MOST_HITS)]
Beats: TypeAlias = Annotated[tuple[Beat, ...], Meta(max_length=MOST_HITS)]


class Section(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A part of the song: ``[start, end, label, energy 0-1]``, in seconds.

    A label is a letter, the same for parts that resemble each other, and a word for the energy.
    """

    start: Seconds
    end: Seconds
    label: str
    energy: Share


Sections: TypeAlias = Annotated[tuple[Section, ...], Meta(max_length=10_000)]
Drops: TypeAlias = Annotated[tuple[Seconds, ...], Meta(max_length=10_000)]


class Drums(Struct, frozen=True, forbid_unknown_fields=True):
    """The hits of each drum and of each band, ascending, and how surely each of `DRUMS` is heard."""

    kick: Hits = ()
    snare: Hits = ()
    hat: Hits = ()
    low: Hits = ()
    mid: Hits = ()
    high: Hits = ()
    sureness: tuple[Share, Share, Share] = (1.0, 1.0, 1.0)

    def heard(self, name: str) -> tuple[Hit, ...]:
        """Return the hits that were heard of one of `DRUMS` or `BANDS`."""
        return {
            "kick": self.kick,
            "snare": self.snare,
            "hat": self.hat,
            "low": self.low,
            "mid": self.mid,
            "high": self.high,
        }[name]

    def stand_in(self, name: str) -> str:
        """Return which of `BANDS` stands in for a drum that is not heard surely, or nothing."""
        if name not in DRUMS:
            return ""
        number = DRUMS.index(name)
        band = BANDS[number]
        return band if self.sureness[number] < LEAST_SURE and self.heard(band) else ""

    def hits(self, name: str) -> tuple[Hit, ...]:
        """Return the hits that effects fire on: those of a drum or a band, or of what stands in for it."""
        return self.heard(self.stand_in(name) or name)

    def mapped(self, change: Callable[[str], tuple[Hit, ...]]) -> "Drums":
        """Return drums whose hits of each of `DRUMS` and `BANDS` are what `change` makes of its name."""
        kick, snare, hat, low, mid, high = (change(name) for name in (*DRUMS, *BANDS))
        return Drums(kick, snare, hat, low, mid, high, self.sureness)


class CutOff(Struct, frozen=True, forbid_unknown_fields=True):
    """What was heard in a part of the song that is trimmed away, in seconds of its file."""

    beats: Beats = ()
    drums: Drums = Drums()
    sections: Sections = ()
    drops: Drops = ()


class Song(Struct, frozen=True, forbid_unknown_fields=True, cache_hash=True):
    """The song and what was heard in it: the ground that the edit stands on.

    All times count from `start`, the second of the file with which it begins, and end with `duration`;
    what lies before and after is kept in `before` and `after`. `gain` is in decibels. `fade_in` and
    `fade_out` are seconds at both ends; `fade_bend` shapes them: 0 is a straight line, 1 comes quickly and
    goes late, -1 the other way.
    """

    path: FilePath
    fingerprint: Fingerprint
    duration: Seconds
    tempo: Annotated[float, Meta(ge=0, le=1000)] = 0.0
    is_steady: bool = False
    beats: Beats = ()
    drums: Drums = Drums()
    sections: Sections = ()
    drops: Drops = ()
    is_locked: bool = False
    start: Seconds = 0.0
    before: CutOff = CutOff()
    after: CutOff = CutOff()
    gain: Annotated[float, Meta(ge=-48, le=12)] = 0.0
    fade_in: Annotated[float, Meta(ge=0, le=60)] = 0.0
    fade_out: Annotated[float, Meta(ge=0, le=60)] = 0.0
    fade_bend: Annotated[float, Meta(ge=-1, le=1)] = 0.0


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


class PulseUnit(Enum):
    """What is counted of what was heard: the beat grid and what divides it, or the hits of a drum or a band.

    An off-beat lies midway between two beats; halves, thirds and quarters are those of a beat, the beats
    among them.
    """

    BEAT = "beat"
    BAR = "bar"
    OFF_BEAT = "off-beat"
    HALF = "half"
    THIRD = "third"
    QUARTER = "quarter"
    KICK = "kick"
    SNARE = "snare"
    HAT = "hat"
    LOW = "low"
    MID = "mid"
    HIGH = "high"


class HeardSource(Struct, frozen=True, forbid_unknown_fields=True, tag="heard"):
    """Hits that follow what was heard in the song, whatever becomes of it."""

    unit: PulseUnit


class BandSource(Struct, frozen=True, forbid_unknown_fields=True, cache_hash=True, tag="band"):
    """Hits where the level of a band of the spectrum, `low` to `high` Hz, rises over a threshold.

    The threshold is a share of the way from silence to the band's loudest moment; `hits`, in seconds of
    the song, are what was found when it was last looked for, at least `gap` seconds apart.
    """

    low: Annotated[float, Meta(ge=20, le=20_000)]
    high: Annotated[float, Meta(ge=20, le=20_000)]
    threshold: Share = 0.6
    gap: Annotated[float, Meta(ge=0.02, le=10)] = 0.12
    hits: Hits = ()


class TappedSource(Struct, frozen=True, forbid_unknown_fields=True, cache_hash=True, tag="tapped"):
    """Hits tapped by hand, in seconds of the song."""

    hits: Hits = ()


class TempoSource(Struct, frozen=True, forbid_unknown_fields=True, tag="tempo"):
    """Hits at a bare tempo in BPM from a start in seconds, for a song that is not there yet."""

    tempo: Annotated[float, Meta(ge=20, le=400)] = 120.0
    start: Seconds = 0.0


class Blend(Enum):
    """How two pulses make one."""

    EITHER = "either"
    WITHOUT = "without"
    BOTH = "both"


class BlendSource(Struct, frozen=True, forbid_unknown_fields=True, tag="blend"):
    """Hits of one pulse and also another, without another, or only where both are, within a tolerance."""

    how: Blend
    one: PulseId
    other: PulseId
    tolerance: Annotated[float, Meta(ge=0, le=1)] = 0.05


Source: TypeAlias = HeardSource | BandSource | TappedSource | TempoSource | BlendSource


class Pulse(Struct, frozen=True, forbid_unknown_fields=True, cache_hash=True):
    """A named stream of hits: every Nth hit of its source from the first, and of those the most important.

    `keep` is the share that is kept, by strength and by place in the bar.
    """

    id: PulseId
    name: str
    source: Source
    every: Annotated[int, Meta(ge=1, le=64)] = 1
    first: Annotated[int, Meta(ge=0, le=63)] = 0
    keep: Share = 1.0

    @property
    def unit(self) -> PulseUnit | None:
        """What it counts of what was heard, or None where it has another source."""
        return self.source.unit if isinstance(self.source, HeardSource) else None


class Order(Enum):
    """In which order clips fill the song."""

    GATHERED = "gathered"
    SHUFFLED = "shuffled"
    MOMENTS = "moments"


class Pace(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A cut every so many hits; where `is_by_section`, as many as the section's energy asks for."""

    every: Annotated[int, Meta(ge=1, le=128)] = 4
    is_by_section: bool = False
    calm: Annotated[int, Meta(ge=1, le=128)] = 8
    build: Annotated[int, Meta(ge=1, le=128)] = 4
    full: Annotated[int, Meta(ge=1, le=128)] = 2


class Filling(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How the song is filled with footage in one step.

    Cuts are counted on a pulse, or on the beats where `pulse` is None; `footage` empty means all of it.
    Where `lands`, the moment of every clip that has one falls on a hit.
    """

    footage: Annotated[tuple[FootageId, ...], Meta(max_length=20_000)] = ()
    pulse: PulseId | None = None
    pace: Pace = Pace()
    order: Order = Order.GATHERED
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1
    lands: bool = True
    stills: Travel = Travel.PUSH
    beyond: Beyond = Beyond.SLOW


class Project(Struct, frozen=True, forbid_unknown_fields=True):
    """Everything the editor has decided. Paths are absolute in memory, relative in the file.

    `name` is what the work is called until it has a file of its own; `is_shape_chosen` tells that size and
    rate are the editor's choice, and not to be taken from the first clip.
    """

    version: int = FORMAT_VERSION
    name: str = "Untitled"
    width: Pixels = 1280
    height: Pixels = 720
    rate: Fraction = field(default_factory=lambda: Fraction(30))
    is_shape_chosen: bool = False
    song: Song | None = None
    footage: Annotated[tuple[Footage, ...], Meta(max_length=20_000)] = ()
    groups: Annotated[tuple[str, ...], Meta(max_length=1000)] = ()
    filling: Filling = Filling()
    shots: Annotated[tuple[Shot, ...], Meta(max_length=200_000)] = ()
    pulses: Annotated[tuple[Pulse, ...], Meta(max_length=1000)] = ()
    lanes: Annotated[tuple[Lane, ...], Meta(max_length=1000)] = ()
    next_id: Annotated[int, Meta(ge=1, le=2_000_000_000)] = 1

    @property
    def n_frames(self) -> int:
        """Length in frames: the song's, or to the end of the last shot where there is no song."""
        if self.song is not None:
            return frames_covering(self.song.duration, self.rate)
        return max((shot.start + shot.n_frames for shot in self.shots), default=0)


def pulse_of(project: Project, lane: Lane) -> Pulse | None:
    """Return the pulse that fires a lane, or None where it is not there any more."""
    return next((pulse for pulse in project.pulses if pulse.id == lane.pulse), None)


class HasId(Protocol):
    """What is told apart from others of its kind by a number."""

    @property
    def id(self) -> int:
        """Return the number."""


T = TypeVar("T", bound=HasId)


def find(things: Iterable[T], wanted: int, kind: str) -> T:
    """Return the thing with an id.

    Raises
    ------
    EditError
        If there is none; `kind` names it in the message.
    """
    for thing in things:
        if thing.id == wanted:
            return thing
    raise EditError(f"there is no {kind} {wanted} in this project")
