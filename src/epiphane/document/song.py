"""The song and what was heard in it: beats, drums, bands, sections."""

from collections.abc import Callable
from typing import Annotated, Literal, TypeAlias, get_args

from msgspec import Meta, Struct

from epiphane.document.ids import (
    FilePath,
    Fingerprint,
    Seconds,
    Share,
)

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
    confidence: Share = 1.0


class Hit(Struct, frozen=True, gc=False, array_like=True, forbid_unknown_fields=True):
    """One moment of the song: ``[time in seconds, strength 0-1]``."""

    time: Seconds
    strength: Share = 1.0


MOST_HITS = 200_000
"""Of a pulse or a drum, and beats of a song: a day at 140 BPM has as many."""
Hits: TypeAlias = Annotated[tuple[Hit, ...], Meta(max_length=MOST_HITS)]
Beats: TypeAlias = Annotated[tuple[Beat, ...], Meta(max_length=MOST_HITS)]


PartKind: TypeAlias = Literal["calm", "build", "full", "break"]
PART_KINDS: tuple[PartKind, ...] = get_args(PartKind)
"""What parts of a song may be like."""


class Section(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A part of the song: ``[start, end, name, kind, energy 0-1, whether the user set it]``, in seconds.

    A name is a letter, the same for parts that resemble each other, or the user's word. What the user set
    stands when the song is listened to again.
    """

    start: Seconds
    end: Seconds
    name: Annotated[str, Meta(max_length=200)]
    kind: PartKind
    energy: Share
    is_own: bool = False

    @property
    def label(self) -> str:
        """Its name and kind, by which lanes are picked in it."""
        return f"{self.name} {self.kind}"


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
    confidence: tuple[Share, Share, Share] = (1.0, 1.0, 1.0)

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
        return band if self.confidence[number] < LEAST_SURE and self.heard(band) else ""

    def hits(self, name: str) -> tuple[Hit, ...]:
        """Return the hits that effects fire on: those of a drum or a band, or of what stands in for it."""
        return self.heard(self.stand_in(name) or name)

    def mapped(self, change: Callable[[str], tuple[Hit, ...]]) -> "Drums":
        """Return drums whose hits of each of `DRUMS` and `BANDS` are what `change` makes of its name."""
        kick, snare, hat, low, mid, high = (change(name) for name in (*DRUMS, *BANDS))
        return Drums(kick, snare, hat, low, mid, high, self.confidence)


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
    goes late, -1 the other way. Where it `has_own_drops`, its drops are the user's, not what was heard.
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
    has_own_drops: bool = False
    is_locked: bool = False
    start: Seconds = 0.0
    before: CutOff = CutOff()
    after: CutOff = CutOff()
    gain: Annotated[float, Meta(ge=-48, le=12)] = 0.0
    fade_in: Annotated[float, Meta(ge=0, le=60)] = 0.0
    fade_out: Annotated[float, Meta(ge=0, le=60)] = 0.0
    fade_bend: Annotated[float, Meta(ge=-1, le=1)] = 0.0
