"""Edits of captions: texts on a track of their own, at their times or on hits."""

from bisect import bisect_right
from collections.abc import Sequence

from msgspec.structs import replace

from epiphane.arrays import nearest_of
from epiphane.document.ids import ItemId, TrackId
from epiphane.document.project import Project
from epiphane.document.timeline import Item, Track, Transform
from epiphane.document.titles import TextFill
from epiphane.errors import EditError
from epiphane.timing import frame_at
from epiphane.wording import tr

CAPTION_FILL = TextFill("", face="Heebo", size=0.065, outline=0.08)
_PLACE = Transform(y=0.36)
_MOST_SECONDS = 0.5
"""How far a caption may be moved to a hit."""


def put_captions(
    project: Project,
    captions: Sequence[tuple[float, float, str]],
    name: str,
    *,
    hits: Sequence[float] = (),
) -> Project:
    """Return `project` with captions on a new track, each a text near the lower edge.

    Parameters
    ----------
    captions : (start, end, text), in seconds, ascending, not overlapping
    hits : seconds, ascending
        Where there are some, each caption begins on the nearest one, if it is within half a second.

    Raises
    ------
    EditError
        If nothing of them lies within the project.
    """
    starts = _snapped([start for start, _, _ in captions], hits)
    frames = [frame_at(start, project.rate) for start in starts]
    next_id = project.next_id
    items: list[Item] = []
    for (start, end, text), begins, first in zip(captions, starts, frames, strict=True):
        is_taken = bool(items) and first < items[-1].end
        following = frames[bisect_right(frames, first) :][:1]
        own = max(first + 1, frame_at(end + begins - start, project.rate))
        last = min([own, project.n_frames, *following])
        if last > first and not is_taken:
            fill = replace(CAPTION_FILL, text=text)
            items.append(Item(ItemId(next_id + 1 + len(items)), first, last - first, fill, transform=_PLACE))
    if not items:
        raise EditError(tr("none of the captions lies within the film: open the song, or check their times"))
    track = Track(TrackId(next_id), name[:100], tuple(items))
    return replace(project, stack=(*project.stack, track), next_id=next_id + 1 + len(items))


def _snapped(starts: Sequence[float], hits: Sequence[float]) -> list[float]:
    """Return ascending `starts` on hits: each hit takes the nearest one, what is left stays where it is."""
    made = list(starts)
    nearest: dict[float, int] = {}
    for number, start in enumerate(starts):
        hit = nearest_of(hits, start)
        if hit is None or abs(hit - start) > _MOST_SECONDS:
            continue
        rival = nearest.setdefault(hit, number)
        if abs(starts[rival] - hit) > abs(start - hit):
            nearest[hit] = number
    for hit, number in nearest.items():
        made[number] = hit
    return made
