"""When titles land, and how far they have arrived, stood or left on a frame."""

from collections.abc import Sequence
from fractions import Fraction

from msgspec import Struct

from epiphane.document.project import Project, footage_of
from epiphane.document.song import Hit
from epiphane.document.timeline import Item
from epiphane.document.titles import LogoFill, TitleLook
from epiphane.timing import frame_at, frame_start

TITLE_SAFE = 0.9
"""Of the frame, both ways: where text is to be (SMPTE ST 2046-1)."""
IMPACT_SECONDS = 1.6
"""How long what is thrown at a landing is in sight."""


class TitleClock(Struct, frozen=True):
    """How much of the arrival and the leaving of a title is over, 0 to 1; None where it does neither.

    The step is what more is over on the next frame. `shares` are of the arrivals of its parts where each has
    a hit of its own; below 0 the turn of a part has not come. `since` are the seconds since the landing, or 0
    where nothing depends on them.
    """

    arrived: float | None = None
    left: float | None = None
    step: float = 0.0
    shares: tuple[float, ...] = ()
    since: float = 0.0


def landing_frame(item: Item, rate: Fraction) -> int:
    """Return the frame from which on a title has arrived: that of its hit, or as early as it can."""
    if item.pin is not None:
        return frame_at(item.pin.hit, rate)
    fill = item.content
    flight = fill.arrive.frames if isinstance(fill, TitleLook) and fill.arrive is not None else 0
    return item.start + flight


def title_clock(
    item: Item, fill: TitleLook, frame: int, rate: Fraction, hits: Sequence[float] = ()
) -> TitleClock | None:
    """Return how far a title is on a frame of its item, or None before it comes.

    Parameters
    ----------
    hits : seconds, ascending
        Of the pulse on which its parts arrive, where there is one.
    """
    landing = landing_frame(item, rate)
    since = since_landing(fill, frame - landing, rate)
    if frame < landing and fill.arrive is None:
        return None
    if fill.leave is not None and frame >= item.end - fill.leave.frames and frame >= landing:
        whole = fill.leave.frames + 1
        left = (frame - (item.end - fill.leave.frames) + 1) / whole
        return TitleClock(left=round(left, 6), step=round(1 / whole, 6), since=since)
    if fill.arrive is None:
        return TitleClock(since=since)
    flight = fill.arrive.frames
    if frame < landing - flight:
        return None
    further = [one for one in (frame_at(hit, rate) for hit in hits) if landing < one < item.end]
    # A part whose turn has not come is a whole step before its way, so an open shutter does not begin it.
    shares = [round(min(max(1 - (one - frame) / flight, -1 / flight), 1.0), 6) for one in (landing, *further)]
    if shares[-1] == 1:
        return TitleClock(since=since)
    parts = tuple(shares) if further else ()
    return TitleClock(shares[0], step=round(1 / flight, 6), shares=parts, since=since)


def landing_hits(project: Project) -> tuple[Hit, ...]:
    """Return a hit where each title on the tracks of a project lands, ascending."""
    frames = {
        landing_frame(item, project.rate)
        for track in project.tracks
        if not track.is_muted
        for item in track.items
        if isinstance(item.content, TitleLook)
    }
    return tuple(Hit(round(frame_start(frame, project.rate), 6)) for frame in sorted(frames))


def since_landing(fill: TitleLook, n_frames: int, rate: Fraction) -> float:
    """Return how many seconds ago a title landed, or 0 where that makes no difference to how it looks."""
    seconds = max(0.0, float(n_frames / rate))
    has_weight = fill.impact is not None and seconds < max(IMPACT_SECONDS, float(fill.impact.frames / rate))
    return round(seconds, 6) if fill.stand is not None or has_weight else 0.0


def logo_size(project: Project, fill: LogoFill) -> tuple[float, float]:
    """Return how wide and high a logo is, in shares of the frame of a project."""
    footage = footage_of(project, fill.footage)
    aspect = 1.0 if footage is None else footage.width / footage.height
    return fill.height * aspect * project.height / project.width, fill.height
