"""What must hold of a whole project beside the ranges of its fields."""

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import assert_never

from epiphane.document.ids import PulseId
from epiphane.document.lane import Lane
from epiphane.document.project import HasId, Project
from epiphane.document.pulse import (
    BandSource,
    CombinedSource,
    HeardSource,
    PulseUnit,
    TappedSource,
    TempoSource,
)
from epiphane.document.song import BANDS, DRUMS, Hit
from epiphane.document.timeline import Item, Track
from epiphane.timing import frame_at

MOST_FRAMES = 1_300_000
"""Frames of the longest project: 6 hours at 60 a second. Every lane has a level for each of them."""

MOST_CUES = 2_000_000
"""Cues that all lanes of a project may have together."""

_SHORTEST_SONG = 0.001
_LINES = (*DRUMS, *BANDS)

DEEPEST_BLEND = 32
"""Pulses that may be made of one another in a row."""


def broken_laws(project: Project, *, since: Project | None = None) -> Iterator[str]:
    """Yield what of the project's own laws is broken, each with its place.

    Numbers are used once; items ascend and do not overlap, show footage that is there, and their moments fall
    within them; pulses are not made of themselves, nor of too many others in a row; the whole has a length
    that can be worked on. Hits that were in an earlier lawful project, `since`, are not looked at again.
    """
    yield from _repeated_numbers(project)
    yield from misplaced_items(project)
    yield from _missing_clips(project)
    if project.shapes and project.shape not in project.shapes:
        yield f"$.shapes: the shape that is shown, {project.width}x{project.height}, must be among them"
    if len(set(project.shapes)) < len(project.shapes):
        yield "$.shapes: no shape may be there twice"
    depths = blend_depths(project)
    for index, pulse in enumerate(project.pulses):
        if depths[pulse.id] is None:
            yield f"$.pulses[{index}].source: the pulse is made of itself"
        elif depths[pulse.id] == DEEPEST_BLEND + 1:  # those made of it are deeper still, and need no word
            yield f"$.pulses[{index}].source: more than {DEEPEST_BLEND} pulses are made of one another"
    yield from _disorder(project, since)
    if not any(depth is None or depth > DEEPEST_BLEND for depth in depths.values()):
        yield from (f"$: {fault}" for fault in oversizes(project))


def _missing_clips(project: Project) -> Iterator[str]:
    """Yield which lanes show or play footage that is not there."""
    footage = {one.id for one in project.footage}
    for index, row in enumerate(project.stack):
        if isinstance(row, Lane):
            missing = sorted(row.used_footage - footage)
            yield from (f"$.stack[{index}]: there is no footage {one}" for one in missing)


def misplaced_items(project: Project) -> Iterator[str]:
    """Yield what is wrong with the places and the footage of items, on every track."""
    footage = {one.id for one in project.footage}
    tracks = {
        f"$.stack[{index}].items": row.items
        for index, row in enumerate(project.stack)
        if isinstance(row, Track)
    }
    for place, items in {"$.shots": project.shots, **tracks}.items():
        end = 0
        for index, item in enumerate(items):
            if item.start < end:
                yield f"{place}[{index}].start: must be {end} or more, got {item.start} (an overlap)"
            end = max(end, item.end)
            for one in item.all_footage:
                if one not in footage:
                    yield f"{place}[{index}].content.footage: there is no footage {one}"
            if item.pin is not None and not item.start <= frame_at(item.pin.hit, project.rate) < item.end:
                yield f"{place}[{index}].pin.hit: must be within the item, got {item.pin.hit} s"


def oversizes(project: Project) -> Iterator[str]:
    """Yield in which way a project is too large to be worked on: as a message, of what pulses allow it."""
    n_frames = max([project.n_frames, *(item.end for items in _tracks_of(project) for item in items)])
    if n_frames > MOST_FRAMES:
        yield f"the project is {n_frames} frames long; at most {MOST_FRAMES} can be worked on"
        return
    counts = _hit_counts(project)
    n_cues = sum(counts.get(lane.pulse, 0) for lane in project.lanes)
    if n_cues > MOST_CUES:
        yield f"its lanes could have {n_cues} cues; at most {MOST_CUES} can be worked on"


def _hit_counts(project: Project) -> dict[PulseId, int]:
    """Return how many hits each pulse may have at most, which is quickly told."""
    depths = blend_depths(project)
    song = project.song
    n_beats = 4 * len(song.beats) if song is not None else 0  # quarters of them
    n_drums = max((len(song.drums.heard(name)) for name in _LINES), default=0) if song is not None else 0
    n_parts = max(len(song.sections), len(song.drops)) if song is not None else 0
    seconds = float(project.n_frames / project.rate)
    counts: dict[PulseId, int] = {}
    for pulse in sorted(project.pulses, key=lambda one: depths[one.id] or 0):
        match pulse.source:
            case HeardSource(unit=PulseUnit.CUT):
                number = 2 * len(project.shots)
            case HeardSource(unit=PulseUnit.LANDING):
                number = sum(len(track.items) for track in project.tracks)
            case HeardSource():
                number = max(n_beats, n_drums, n_parts)
            case BandSource(hits=hits) | TappedSource(hits=hits):
                number = len(hits)
            case TempoSource(tempo=tempo):
                number = round(seconds * tempo / 60) + 1
            case CombinedSource(one=one, other=other):
                number = counts.get(one, 0) + counts.get(other, 0)
            case _:
                assert_never(pulse.source)
        counts[pulse.id] = number // pulse.every
    return counts


def _disorder(project: Project, since: Project | None) -> Iterator[str]:
    """Yield what ought to ascend in time and does not."""
    if project.song is not None and (since is None or project.song is not since.song):
        if any(after.time <= before.time for before, after in pairwise(project.song.beats)):
            yield "$.song.beats: must ascend in time, no two at once"
        if project.song.duration < _SHORTEST_SONG:
            yield f"$.song.duration: must be {_SHORTEST_SONG} s at least, got {project.song.duration}"
    known = set() if since is None else {id(row) for row in _hits_by_place(since).values()}
    for place, row in _hits_by_place(project).items():
        if id(row) not in known and any(after.time < before.time for before, after in pairwise(row)):
            yield f"$.{place}: must ascend in time"


def _hits_by_place(project: Project) -> dict[str, Sequence[Hit]]:
    rows: dict[str, Sequence[Hit]] = {}
    if project.song is not None:
        rows |= {f"song.drums.{name}": project.song.drums.heard(name) for name in _LINES}
    for index, pulse in enumerate(project.pulses):
        if isinstance(pulse.source, BandSource | TappedSource):
            rows[f"pulses[{index}].source.hits"] = pulse.source.hits
    return rows


def blend_depths(project: Project) -> dict[PulseId, int | None]:
    """Return for each pulse how many pulses in a row it is made of: 0 for none, None if of itself."""
    parts = {
        pulse.id: (pulse.source.one, pulse.source.other) if isinstance(pulse.source, CombinedSource) else ()
        for pulse in project.pulses
    }
    depths: dict[PulseId, int | None] = {}
    waiting = list(parts)
    while waiting:
        left = []
        for number in waiting:
            made_of = [part for part in parts[number] if part in parts]
            if all(part in depths for part in made_of):
                depths[number] = max((1 + (depths[part] or 0) for part in made_of), default=0)
            else:
                left.append(number)
        if len(left) == len(waiting):  # each waits for another: a circle, or made of one
            return depths | dict.fromkeys(left)
        waiting = left
    return depths


def _tracks_of(project: Project) -> list[Sequence[Item]]:
    """Return the items of the main track and of every other one."""
    return [project.shots, *(track.items for track in project.tracks)]


def _repeated_numbers(project: Project) -> Iterator[str]:
    highest = 0
    kinds: dict[str, Sequence[HasId]] = {
        "footage": project.footage,
        "shots": [item for items in _tracks_of(project) for item in items],
        "pulses": project.pulses,
        "stack": project.stack,
    }
    for kind, things in kinds.items():
        counts = Counter(one.id for one in things)
        highest = max([highest, *counts])
        for number, count in counts.items():
            if count > 1:
                yield f"$.{kind}: {count} have the number {number}"
    if project.next_id <= highest:
        yield f"$.next_id: must be over {highest}, the highest number in use, got {project.next_id}"
