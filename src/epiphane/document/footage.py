"""Footage: what lies on the shelf, and what is known of it."""

from enum import Enum
from fractions import Fraction
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import FilePath, Fingerprint, FootageId, Seconds, Share

Level: TypeAlias = Annotated[int, Meta(ge=0, le=255)]
Drift: TypeAlias = Annotated[float, Meta(ge=-100, le=100)]
Span: TypeAlias = tuple[float, float]
"""Two instants of footage, seconds."""


class FootageKind(Enum):
    """What a file on the shelf is."""

    VIDEO = "video"
    STILL = "still"
    SOUND = "sound"


class MomentCause(Enum):
    """Why an instant of footage is a moment: what changes there, or because the user says so."""

    MOVEMENT = "movement"
    LIGHT = "light"
    SOUND = "sound"
    HAND = "hand"


class Moment(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """An instant of footage that may fall on a hit: ``[time, strength 0-1, cause, is accepted]``.

    The time, in seconds from the first picture, is the first instant of the picture that is meant.
    """

    time: Seconds
    strength: Share = 1.0
    cause: MomentCause = MomentCause.HAND
    is_accepted: bool = False


MOST_MOMENTS_OF_A_CLIP = 2000


class Take(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A stretch of footage without a cut: ``[start, is used]``; it ends where the next one begins."""

    start: Seconds
    is_used: bool = True


class Flaw(Enum):
    """Why a stretch of footage is better not shown."""

    BLACK = "black"
    FADE = "fade"
    FROZEN = "frozen"
    BLURRED = "blurred"
    SHAKY = "shaky"
    TITLE = "title card"


class Passage(Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """Some seconds of footage that look alike: ``[start, flaw, movement, sharpness, [Y, Cb, Cr], [x, y]]``.

    It ends where the next one begins. Movement is the mean change from picture to picture in levels of
    255, sharpness the mean step between neighbouring pixels of a small picture; the look is its mean colour.
    The drift is how far what is seen moves to the right and down, in widths of the picture a second; nothing
    where it moves no way in particular.
    """

    start: Seconds
    flaw: Flaw | None = None
    movement: Annotated[float, Meta(ge=0, le=255)] = 0.0
    sharpness: Annotated[float, Meta(ge=0, le=255)] = 0.0
    look: tuple[Level, Level, Level] = (128, 128, 128)
    drift: tuple[Drift, Drift] = (0.0, 0.0)


class Footage(Struct, frozen=True, forbid_unknown_fields=True):
    """One file on the shelf: the facts about it that edits need, and what the user says of it.

    A sound has no picture: its width and height are 1. A still lasts as long as it is wanted to. Shots
    show what lies from `used_from` to `used_to` (None is the end), in seconds from the first picture.
    `moments` are proposals until they are accepted, ascending. `takes` lie between the cuts that it has in
    itself, `passages` tell what it shows where; both begin with its first picture. `is_searched` tells
    whether it has been looked through for these three. `damaged` is the share of its pictures that cannot
    be decoded, `treatments` say in words what is done so that it looks right. Where it `has_alpha`, something
    can be seen through it. `name` and `group` are the user's own, empty where there are none.
    """

    id: FootageId
    path: FilePath
    fingerprint: Fingerprint
    duration: Seconds
    width: Annotated[int, Meta(ge=1, le=1_000_000)]
    height: Annotated[int, Meta(ge=1, le=1_000_000)]
    rate: Fraction
    fault: str = ""
    kind: FootageKind = FootageKind.VIDEO
    has_sound: bool = False
    name: str = ""
    group: str = ""
    used_from: Seconds = 0.0
    used_to: Seconds | None = None
    moments: Annotated[tuple[Moment, ...], Meta(max_length=MOST_MOMENTS_OF_A_CLIP)] = ()
    takes: Annotated[tuple[Take, ...], Meta(max_length=20_000)] = ()
    passages: Annotated[tuple[Passage, ...], Meta(max_length=50_000)] = ()
    is_searched: bool = False
    damaged: Share = 0.0
    treatments: Annotated[tuple[Annotated[str, Meta(max_length=100)], ...], Meta(max_length=8)] = ()
    has_alpha: bool = False

    @property
    def end(self) -> float:
        """Where the part ends that shots show, seconds."""
        return self.duration if self.used_to is None else min(self.used_to, self.duration)

    @property
    def best_moment(self) -> Moment | None:
        """The moment that counts: the strongest of those accepted, else the strongest; in the used part."""
        inside = [moment for moment in self.moments if self.used_from <= moment.time < self.end]
        return max(inside, key=lambda moment: (moment.is_accepted, moment.strength), default=None)


_SAME_SECONDS = 1e-4


def take_spans(footage: Footage) -> tuple[tuple[Span, Take], ...]:
    """Return from where to where each take goes, and the take; without any known it is all one."""
    takes = footage.takes or (Take(0.0),)
    ends = [*(take.start for take in takes[1:]), footage.duration]
    return tuple(((take.start, end), take) for take, end in zip(takes, ends, strict=True))


def take_at(footage: Footage, seconds: float) -> Take:
    """Return the take that an instant lies in."""
    begun = [take for (first, _), take in take_spans(footage) if first <= seconds + _SAME_SECONDS]
    return begun[-1] if begun else take_spans(footage)[0][1]


def passage_spans(footage: Footage) -> tuple[tuple[Span, Passage], ...]:
    """Return from where to where each passage goes, and the passage; none where it is not known."""
    ends = [*(passage.start for passage in footage.passages[1:]), footage.duration]
    return tuple(((one.start, end), one) for one, end in zip(footage.passages, ends, strict=False))


def clean_spans(footage: Footage) -> tuple[Span, ...]:
    """Return the stretches that may be shown without a cut or a flaw in them, in the used part, ascending.

    A flaw around a moment that the user has accepted is none. Where everything has a flaw, the used takes
    are returned as they are; where no take is used, the whole used part.
    """
    takes = [_within(span, footage) for span, take in take_spans(footage) if take.is_used]
    takes = [span for span in takes if _is_some(span, footage)]
    clean: list[Span] = []
    for first, end in takes:
        start = first
        for (bad_from, bad_to), passage in passage_spans(footage):
            if _is_flawed(footage, bad_from, bad_to, passage) and bad_to > start and bad_from < end:
                clean.append((start, min(bad_from, end)))
                start = bad_to
        clean.append((start, end))
    clean = [span for span in clean if _is_some(span, footage)]
    return tuple(clean or takes or [(footage.used_from, footage.end)])


def _is_flawed(footage: Footage, first: float, end: float, passage: Passage) -> bool:
    is_wanted = any(one.is_accepted and first <= one.time < end for one in footage.moments)
    return passage.flaw is not None and not is_wanted


def _within(span: Span, footage: Footage) -> Span:
    return max(span[0], footage.used_from), min(span[1], footage.end)


def _is_some(span: Span, footage: Footage) -> bool:
    """Whether a stretch holds two pictures at least."""
    return span[1] - span[0] > 1.5 / float(footage.rate)
