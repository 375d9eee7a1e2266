"""Filling the song with footage in one step: where cuts fall, who plays where, and what it shows there."""

import random
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.grid import bar_frames, bars_of
from epiphane.document.hits import importance_order
from epiphane.document.ids import ShotId
from epiphane.document.model import (
    Beyond,
    Filling,
    Footage,
    FootageKind,
    Framing,
    Hit,
    Moment,
    Order,
    Pace,
    Pin,
    Project,
    Shot,
    Travel,
)
from epiphane.edits.checked import checked
from epiphane.edits.pins import pinned
from epiphane.edits.shots import cutting_hits
from epiphane.errors import EditError
from epiphane.timing import frame_at, frame_start

SLOWEST = 0.25
"""The least speed that filling takes; slower is choppy."""
_SECTION_SLACK_SECONDS = 0.05
_SHORTEST_FRAMES = 2
# A pickup or a last shot of less than a quarter of its neighbour joins it.
_LEAST_NEIGHBOURS = 4
# A moment on the first frame of its shot is seen, but not seen coming.
_UNPREPARED = 0.6


class _Target(Struct, frozen=True):
    """A hit within a place: its frame, its instant, and how important it is, 0 to 1."""

    frame: int
    time: float
    weight: float


class _Place(Struct, frozen=True):
    """A stretch of the song that one shot fills, in frames, and the hits in it."""

    start: int
    end: int
    targets: tuple[_Target, ...]

    @property
    def weight(self) -> float:
        """How important its strongest hit is."""
        return max((target.weight for target in self.targets), default=0.0)


class _Part(Struct, frozen=True):
    """What of a clip plays somewhere: its moment, or from an instant on."""

    footage: Footage
    moment: Moment | None
    n_used: int


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
        raise EditError("there is no song to fill yet: open one first")
    clips = _chosen(project, filling)
    if not clips:
        raise EditError("there is no footage to fill the song with: gather some first")
    places = list(_places(project, filling))
    cast = _cast(places, clips, filling)
    locked = [shot for shot in project.shots if shot.is_locked]
    free_ids = [shot.id for shot in project.shots if not shot.is_locked]
    next_id = project.next_id
    shots: list[Shot] = list(locked)
    for number, (place, part) in enumerate(zip(places, cast, strict=True)):
        shot_id = free_ids[number] if number < len(free_ids) else ShotId(next_id)
        next_id += number >= len(free_ids)
        shots.append(_shot(shot_id, place, part, filling, project.rate))
    shots.sort(key=lambda shot: shot.start)
    return replace(project, shots=tuple(shots), next_id=next_id)


def default_filling(project: Project) -> Filling:
    """Return a filling with a cut every bar, whatever the metre; by section half or twice as many."""
    song = project.song
    n_beats = max((beat.place for beat in song.beats), default=4) if song is not None else 4
    pace = Pace(every=n_beats, calm=2 * n_beats, build=n_beats, full=max(1, n_beats // 2))
    return replace(project.filling, pace=pace)


def _chosen(project: Project, filling: Filling) -> list[Footage]:
    wanted = set(filling.footage)
    return [
        footage
        for footage in project.footage
        if footage.kind is not FootageKind.SOUND and (not wanted or footage.id in wanted)
    ]


# Where cuts fall


def _places(project: Project, filling: Filling) -> Iterator[_Place]:
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
                yield _Place(start, end, here)


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
    sections = project.song.sections if project.song is not None else ()
    begun = [n for n, section in enumerate(sections) if section.start <= time + _SECTION_SLACK_SECONDS]
    return begun[-1] if begun else -1


def _every_in(project: Project, pace: Pace, section: int) -> int:
    sections = project.song.sections if project.song is not None else ()
    word = sections[section].label.rsplit(" ", 1)[-1] if section >= 0 else ""
    return {"calm": pace.calm, "build": pace.build, "full": pace.full}.get(word, pace.every)


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


def _targets(project: Project, hits: Sequence[Hit]) -> list[_Target]:
    """Return the hits that moments may fall on; those of drops count most."""
    song = project.song
    order = importance_order(hits, song)
    weights = [0.0] * len(hits)
    for rank, index in enumerate(order):
        weights[index] = 1 - rank / len(hits)
    drops = song.drops if song is not None else ()
    return [
        _Target(
            frame_at(hit.time, project.rate),
            hit.time,
            2.0 if any(abs(hit.time - drop) < _SECTION_SLACK_SECONDS for drop in drops) else weight,
        )
        for hit, weight in zip(hits, weights, strict=True)
    ]


# Who plays where


def _cast(places: Sequence[_Place], clips: Sequence[Footage], filling: Filling) -> list[_Part]:
    """Return what plays in each place; no clip follows itself where there is another."""
    if filling.order is Order.MOMENTS:
        return _cast_by_moments(places, clips)
    generator = random.Random(filling.seed)
    parts: list[_Part] = []
    turn: list[Footage] = []
    n_used = dict.fromkeys((clip.id for clip in clips), 0)
    for _ in places:
        if not turn:
            turn = list(clips)
            if filling.order is Order.SHUFFLED:
                generator.shuffle(turn)
                if parts and len(turn) > 1 and turn[0].id == parts[-1].footage.id:
                    turn.append(turn.pop(0))
        clip = turn.pop(0)
        parts.append(_part(clip, n_used[clip.id]))
        n_used[clip.id] += 1
    return parts


def _cast_by_moments(places: Sequence[_Place], clips: Sequence[Footage]) -> list[_Part]:
    """Return the strongest moments at the strongest hits, every clip once before one comes again."""
    cast: list[_Part | None] = [None] * len(places)
    n_used = dict.fromkeys((clip.id for clip in clips), 0)
    for index in sorted(range(len(places)), key=lambda n: (-places[n].weight, n)):
        around = {
            part.footage.id
            for part in (*cast[max(0, index - 1) : index], *cast[index + 1 : index + 2])
            if part
        }
        free = [clip for clip in clips if clip.id not in around] or list(clips)
        part = min((_part(clip, n_used[clip.id]) for clip in free), key=_turn)
        n_used[part.footage.id] += 1
        cast[index] = part
    return [part for part in cast if part is not None]


def _turn(part: _Part) -> tuple[int, float]:
    """Return what comes first: a clip used less, and of those the one with the stronger moment."""
    return part.n_used, -part.moment.strength - part.moment.is_accepted if part.moment is not None else 0.0


def _part(clip: Footage, n_used: int) -> _Part:
    """Return what a clip shows when it comes for the `n_used`-th time from 0: each of its moments in turn."""
    moments = [moment for moment in clip.moments if clip.used_from <= moment.time < clip.end]
    accepted = [moment for moment in moments if moment.is_accepted]
    ranked = sorted(accepted or moments, key=lambda moment: -moment.strength)
    return _Part(clip, ranked[n_used % len(ranked)] if ranked else None, n_used)


# What it shows there


def _shot(shot_id: ShotId, place: _Place, part: _Part, filling: Filling, rate: Fraction) -> Shot:
    footage, n_frames = part.footage, place.end - place.start
    if footage.kind is FootageKind.STILL:
        return Shot(
            shot_id, footage.id, place.start, n_frames, framing=_still_framing(filling.stills, part.n_used)
        )
    beyond = Beyond.REPEAT if filling.beyond is Beyond.REPEAT else Beyond.MIRROR
    shot = Shot(shot_id, footage.id, place.start, n_frames, beyond=beyond)
    may_slow = filling.beyond is Beyond.SLOW
    if filling.lands and part.moment is not None and place.targets:
        target = max(place.targets, key=lambda one: _suits(one, place, part, rate))
        speed = _landing_speed(target, place, part, rate) if may_slow else 1.0
        pin = Pin(part.moment.time, target.time)
        return pinned(replace(shot, speed=round(speed, 6)), pin, rate)
    return _running(shot, part, rate, may_slow=may_slow)


def _still_framing(travel: Travel, n_used: int) -> Framing:
    """Return how a still moves; a drift goes the other way when the still comes again."""
    reach = Framing().reach
    goes_back = travel is Travel.DRIFT and n_used % 2
    return Framing(travel=travel, reach=-reach if goes_back else reach)


def _landing_speed(target: _Target, place: _Place, part: _Part, rate: Fraction) -> float:
    """Return the speed at which the clip is long enough before and after its moment, `SLOWEST` to 1."""
    assert part.moment is not None
    lead, tail = part.moment.time - part.footage.used_from, part.footage.end - part.moment.time
    needed_lead = frame_start(target.frame - place.start, rate)
    needed_tail = frame_start(place.end - target.frame, rate)
    most = min(1.0, lead / needed_lead if needed_lead else 1.0, tail / needed_tail if needed_tail else 1.0)
    return max(SLOWEST, most)


def _suits(target: _Target, place: _Place, part: _Part, rate: Fraction) -> tuple[float, int]:
    """Return how well a hit suits a moment: it is important, and the clip reaches from cut to cut."""
    importance = 0.5 + 0.5 * target.weight
    is_prepared = target.frame > place.start or target.weight > 1
    value = importance * _landing_speed(target, place, part, rate) * (1.0 if is_prepared else _UNPREPARED)
    return round(value, 6), -target.frame


def _running(shot: Shot, part: _Part, rate: Fraction, *, may_slow: bool) -> Shot:
    """Return a shot without a moment: another part of its footage each time it comes, slowed if too short."""
    footage, seconds = part.footage, frame_start(shot.n_frames, rate)
    length = footage.end - footage.used_from
    if length < seconds:
        speed = max(SLOWEST, length / seconds) if may_slow else 1.0
        return replace(shot, source_start=footage.used_from, speed=round(speed, 6))
    n_parts = max(1, int(length / seconds + 1e-6))
    return replace(shot, source_start=round(footage.used_from + part.n_used % n_parts * seconds, 9))
