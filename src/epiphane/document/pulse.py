"""Pulses: named streams of hits, and where hits come from."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import (
    LaneId,
    PulseId,
    Seconds,
    Share,
)
from epiphane.document.song import Hits


class PulseUnit(Enum):
    """What is counted: the grid, hits of a drum or a band, the song's form, cuts and landings of the edit.

    An off-beat lies midway between two beats; halves, thirds and quarters are those of a beat, the beats
    among them. Of the form there are the starts of parts, the drops, the last bars before a drop, and the
    stops. A cut is where what the main track shows changes, a landing where a title on a track arrives.
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
    PART = "part"
    DROP = "drop"
    BUILD_BAR = "build-bar"
    STOP = "stop"
    CUT = "cut"
    LANDING = "landing"


class HeardSource(Struct, frozen=True, forbid_unknown_fields=True, tag="heard"):
    """Hits that follow what was heard in the song, or the cuts of the edit, whatever becomes of it."""

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
    """Hits tapped by hand, in seconds of the song; `played_on` is the lane on which they were played."""

    hits: Hits = ()
    played_on: LaneId | None = None


class TempoSource(Struct, frozen=True, forbid_unknown_fields=True, tag="tempo"):
    """Hits at a bare tempo in BPM from a start in seconds, for a song that is not there yet."""

    tempo: Annotated[float, Meta(ge=20, le=400)] = 120.0
    start: Seconds = 0.0


class Combination(Enum):
    """How two pulses make one."""

    EITHER = "either"
    WITHOUT = "without"
    BOTH = "both"


class CombinedSource(Struct, frozen=True, forbid_unknown_fields=True, tag="combined"):
    """Hits of one pulse and also another, without another, or only where both are, within a tolerance."""

    how: Combination
    one: PulseId
    other: PulseId
    tolerance: Annotated[float, Meta(ge=0, le=1)] = 0.05


Source: TypeAlias = HeardSource | BandSource | TappedSource | TempoSource | CombinedSource
"""Where hits come from.

What is done with each kind is in `laws`, `facts.hits` and `edits.sources`, what the user is shown of it in
`desk.bench.pulse`, and how one is made in `desk.control.pulses`: a new kind goes there too.
"""


def kind_of_source(source: Source) -> str:
    """Return the word for a kind of source, as it stands in files."""
    return str(type(source).__struct_config__.tag)


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
        """What it counts of what was heard or cut, or None where it has another source."""
        return self.source.unit if isinstance(self.source, HeardSource) else None
