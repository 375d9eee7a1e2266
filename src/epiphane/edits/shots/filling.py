"""Automatic edit: the song filled with footage in one step, cut on hits."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import Any

from msgspec.structs import replace

from epiphane.document.filling import Filling, Pace
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Hit
from epiphane.document.timeline import Extend, Item, Move, Transform, footage_item
from epiphane.edits.checked import checked
from epiphane.edits.shots.casting import Casting, Part, Place, Target
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import cutting_hits
from epiphane.errors import EditError
from epiphane.facts.form import parts_of
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.facts.hits import importance_order
from epiphane.timing import frame_at
from epiphane.wording import tr

_SECTION_SLACK_SECONDS = 0.05
_SHORTEST_FRAMES = 2
# A pickup or a last shot of less than a quarter of its neighbour joins it.
_LEAST_NEIGHBOURS = 4
_USUAL_HANDLE = 10
"""Frames left at both ends of clips where there is no transition yet."""


def fill_song(project: Project, **changes: Any) -> Project:
    """Return `project` with its song filled with footage, from the first frame to the last.

    Locked shots stay; all others make way. The same project is filled the same way every time.

    Parameters
    ----------
    changes
        Fields of the project's `Filling` that are changed first, e.g. ``order=Order.SHUFFLED``.

    Raises
    ------
    EditError
        If there is no song, no footage with a picture, or a value is out of range.
    """
    filling = checked(replace(project.filling, **changes), Filling)
    project = replace(project, filling=filling)
    if project.song is None:
        raise EditError(tr("there is no song to fill yet: open one first"))
    clips = _chosen(project, filling)
    if not clips:
        raise EditError(tr("there is no footage to fill the song with: gather some first"))
    places = list(_places(project, filling))
    locked = [shot for shot in project.shots if shot.is_locked]
    cast = Casting(clips, filling, project.rate, kept=locked, handle=_handle(project)).cast(places)
    free_ids = [shot.id for shot in project.shots if not shot.is_locked]
    next_id = project.next_id
    shots: list[Item] = list(locked)
    for number, (place, part) in enumerate(zip(places, cast, strict=True)):
        shot_id = free_ids[number] if number < len(free_ids) else ItemId(next_id)
        next_id += number >= len(free_ids)
        shots.append(_shot(shot_id, place, part, filling, project.rate))
    shots.sort(key=lambda shot: shot.start)
    return with_cuts_followed(project, replace(project, shots=tuple(shots), next_id=next_id))


def default_filling(project: Project) -> Filling:
    """Return a filling with a cut every bar, whatever the metre; by section half or twice as many."""
    song = project.song
    n_beats = max((beat.place for beat in song.beats), default=4) if song is not None else 4
    pace = Pace(every=n_beats, calm=2 * n_beats, build=n_beats, full=max(1, n_beats // 2))
    return replace(project.filling, pace=pace)


def _chosen(project: Project, filling: Filling) -> list[Footage]:
    """Return the footage that fills: what was chosen, or all that is fit for it."""
    wanted = set(filling.footage)
    if wanted:
        return [one for one in project.footage if one.kind is not FootageKind.SOUND and one.id in wanted]
    return fitting_footage(project)


def fitting_footage(project: Project) -> list[Footage]:
    """Return the footage that shots are made of without being asked: what covers the frame.

    Left out is what can be seen through, and what lies over shots already; unless there is nothing else.
    """
    seen = [one for one in project.footage if one.kind is not FootageKind.SOUND]
    laid_over = {clip for lane in project.lanes for clip in lane.used_footage}
    laid_over |= {clip for track in project.tracks for item in track.items for clip in item.all_footage}
    plain = [one for one in seen if not one.has_alpha and one.id not in laid_over]
    return plain or seen


def _handle(project: Project) -> float:
    """Return how many seconds of a clip transitions at its cuts may want to see beyond both of them."""
    cuts = {pulse.id for pulse in project.pulses if pulse.unit is PulseUnit.CUT}
    shapes = [lane.envelope for lane in project.lanes if lane.pulse in cuts and not lane.is_muted]
    frames = [max(shape.rise + shape.lead, shape.hold + shape.fall - shape.lead) for shape in shapes]
    return (max(frames, default=_USUAL_HANDLE) + 1) / float(project.rate)


# Where cuts fall


def _places(project: Project, filling: Filling) -> Iterator[Place]:
    """Yield what is to be filled, in order: the song without its locked shots, cut on hits."""
    hits = cutting_hits(project)
    targets = _targets(project, hits)
    cuts = _cut_frames(project, filling, hits)
    locked = [(shot.start, shot.start + shot.n_frames) for shot in project.shots if shot.is_locked]
    edges = [(0, 0), *locked, (project.n_frames, project.n_frames)]
    for (_, gap_start), (gap_end, _) in pairwise(edges):
        inside = [cut for cut in cuts if gap_start < cut < gap_end]
        for start, end in pairwise(_without_slivers([gap_start, *inside, gap_end])):
            if end > start:
                here = tuple(target for target in targets if start <= target.frame < end)
                yield Place(start, end, here)


def _cut_frames(project: Project, filling: Filling, hits: Sequence[Hit]) -> list[int]:
    song = project.song
    has_pulse = any(pulse.id == filling.pulse for pulse in project.pulses)
    if song is None or len(hits) < 2 or not (has_pulse or song.beats):
        return bar_frames(bars_of(project), project.rate)
    times, at = [hit.time for hit in hits], 0
    if not has_pulse:
        before = _steps(times[0], times[1] - times[0])
        after = _steps(song.duration - times[-1], times[-1] - times[-2])
        first_one = next((index for index, beat in enumerate(song.beats) if beat.place == 1), 0)
        at = -first_one - len(before)
        times = [times[0] - step for step in reversed(before)] + times + [times[-1] + step for step in after]
    every, section, frames = filling.pace.every, -1, []
    for time in times:
        if filling.pace.is_by_section:
            here = _section_at(project, time)
            if here != section:
                section, at = here, 0
                every = _every_in(project, filling.pace, here)
        if at % every == 0:
            frames.append(frame_at(time, project.rate))
        at += 1
    return frames


def _steps(seconds: float, step: float) -> list[float]:
    """Return the multiples of a step below some seconds: where beats would be before and after the beats."""
    n_steps = int(seconds / step - 1e-3) if step > 0 else 0
    return [step * (number + 1) for number in range(n_steps)]


def _section_at(project: Project, time: float) -> int:
    sections = parts_of(project.song)
    begun = [n for n, section in enumerate(sections) if section.start <= time + _SECTION_SLACK_SECONDS]
    return begun[-1] if begun else -1


def _every_in(project: Project, pace: Pace, section: int) -> int:
    kind = parts_of(project.song)[section].kind if section >= 0 else ""
    paces = {"calm": pace.calm, "break": pace.calm, "build": pace.build, "full": pace.full}
    return paces.get(kind, pace.every)


def _without_slivers(edges: list[int]) -> list[int]:
    """Return edges without shots of a frame or two, nor an end much shorter than its neighbour."""
    kept = [edges[0]]
    for edge in edges[1:-1]:
        if edge - kept[-1] >= _SHORTEST_FRAMES and edges[-1] - edge >= _SHORTEST_FRAMES:
            kept.append(edge)
    kept.append(edges[-1])
    if len(kept) > 2 and _LEAST_NEIGHBOURS * (kept[1] - kept[0]) < kept[2] - kept[1]:
        del kept[1]
    if len(kept) > 2 and _LEAST_NEIGHBOURS * (kept[-1] - kept[-2]) < kept[-2] - kept[-3]:
        del kept[-2]
    return kept


def _targets(project: Project, hits: Sequence[Hit]) -> list[Target]:
    """Return the hits that moments may fall on; those of drops count most."""
    song = project.song
    order = importance_order(hits, song)
    weights = [0.0] * len(hits)
    for rank, index in enumerate(order):
        weights[index] = 1 - rank / len(hits)
    drops = song.drops if song is not None else ()
    return [
        Target(
            frame_at(hit.time, project.rate),
            hit.time,
            2.0 if any(abs(hit.time - drop) < _SECTION_SLACK_SECONDS for drop in drops) else weight,
        )
        for hit, weight in zip(hits, weights, strict=True)
    ]


def _shot(shot_id: ItemId, place: Place, part: Part, filling: Filling, rate: Fraction) -> Item:
    footage, n_frames = part.footage, place.end - place.start
    if footage.kind is FootageKind.STILL:
        transform = _still_transform(filling.stills, part.n_used)
        return footage_item(shot_id, footage.id, place.start, n_frames, transform=transform)
    extend = Extend.REPEAT if filling.extend is Extend.REPEAT else Extend.MIRROR
    is_whole = part.span == (footage.used_from, footage.end)
    shot = footage_item(
        shot_id,
        footage.id,
        place.start,
        n_frames,
        source_start=round(part.start, 9),
        speed=round(part.speed, 6),
        extend=extend,
        bounds=None if is_whole else part.span,
    )
    return shot if part.pin is None else pinned(shot, part.pin, rate)


def _still_transform(move: Move, n_used: int) -> Transform:
    """Return how a still moves; a drift goes the other way when the still comes again."""
    reach = Transform().amount
    goes_back = move is Move.DRIFT and n_used % 2
    return Transform(move=move, amount=-reach if goes_back else reach)
