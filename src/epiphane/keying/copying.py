"""Selecting cues that are alike, and copying the cues of some bars to others."""

from collections.abc import Iterable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.ids import LaneId
from epiphane.document.lane import Override
from epiphane.document.pick import Pick
from epiphane.document.project import Project, with_lanes
from epiphane.edits.keying.cues import CueKey
from epiphane.facts.form import parts_of
from epiphane.facts.grid import bars_of
from epiphane.keying.picking import bar_places
from epiphane.keying.schedule import Cue, LaneSchedule, Schedule, schedule
from epiphane.types import FloatArray

_SAME_PLACE = 0.03
"""Hits that are no farther apart in their bars, as a share of a bar, are on the same beat of it."""

_SAME_STRENGTH = 0.005


class PlacedCue(Struct, frozen=True):
    """A cue that fires, and where: in bars from the first that was copied."""

    place: float
    cue: Cue


class CopiedBars(Struct, frozen=True):
    """What some lanes do in some bars in a row."""

    n_bars: int
    lanes: tuple[tuple[LaneId, tuple[PlacedCue, ...]], ...]


class Pasted(Struct, frozen=True):
    """What hits of lanes are to do so that bars are as others, and how many cues have no hit there."""

    overrides: dict[LaneId, tuple[Override, ...]]
    n_missing: int


def on_same_beat(cues: Schedule, chosen: Iterable[CueKey]) -> frozenset[CueKey]:
    """Return all cues of the lanes of some cues that are on the same beat of their bars as one of them."""
    found: set[CueKey] = set()
    for lane, times in _by_lane(cues, chosen):
        shares = _shares(cues.project, times)
        hits = _times(lane)
        away = np.abs(_shares(cues.project, hits)[:, None] - shares)
        is_same = np.minimum(away, 1 - away).min(axis=1) <= _SAME_PLACE
        found.update((lane.lane.id, float(time)) for time in hits[is_same].tolist())
    return frozenset(found)


def in_same_section(cues: Schedule, chosen: Iterable[CueKey]) -> frozenset[CueKey]:
    """Return all cues of the lanes of some cues that are in the same sections; all where there are none."""
    sections = parts_of(cues.project.song)
    found: set[CueKey] = set()
    for lane, times in _by_lane(cues, chosen):
        spans = [
            (part.start, part.end)
            for part in sections
            if ((times >= part.start - 1e-3) & (times < part.end - 1e-3)).any()
        ]
        hits = _times(lane)
        inside = [(hits >= start - 1e-3) & (hits < end - 1e-3) for start, end in spans]
        is_same = np.any(inside, axis=0) if inside else np.ones(len(hits), bool)
        found.update((lane.lane.id, time) for time in hits[is_same].tolist())
    return frozenset(found)


def copied_bars(cues: Schedule, chosen: Iterable[CueKey]) -> CopiedBars | None:
    """Return what the lanes of some cues do in the bars of those cues; None where there are none."""
    lanes = _by_lane(cues, chosen)
    if not lanes:
        return None
    numbers = np.concatenate([_bar_numbers(cues.project, times) for _, times in lanes])
    first, end = int(numbers.min()), int(numbers.max()) + 1
    copied = []
    for lane, _ in lanes:
        places = bar_places(bars_of(cues.project), _times(lane)) - first
        placed = tuple(
            PlacedCue(place, cue)
            for place, cue in zip(places.tolist(), lane.cues, strict=True)
            if -_SAME_PLACE <= place < end - first - _SAME_PLACE and not cue.is_off
        )
        copied.append((lane.lane.id, placed))
    return CopiedBars(end - first, tuple(copied))


def pasted_bars(project: Project, copied: CopiedBars, seconds: float) -> Pasted:
    """Return what the hits from the bar at an instant on are to do to be as the bars that were copied.

    Cues have the strength that they had there. What is left out there and would fire here is off, what
    fires there and would be left out here is taken.
    """
    first = int(_bar_numbers(project, np.array([seconds]))[0])
    overrides: dict[LaneId, tuple[Override, ...]] = {}
    n_missing = 0
    plain, free = (schedule(_without(project, **out)) for out in ({}, {"pick": Pick(), "shots": ()}))
    for lane_id, placed in copied.lanes:
        lane, whole = plain.lane(lane_id), free.lane(lane_id)
        if lane is None or whole is None:
            continue
        natural = {cue.hit.time: cue for cue in lane.cues}
        usual = {cue.hit.time: cue.strength for cue in whole.cues} | {
            time: cue.strength for time, cue in natural.items()
        }
        times = np.array([hit.time for hit in lane.hits])
        places = bar_places(bars_of(project), times) - first if len(times) else times
        is_inside = (places >= -_SAME_PLACE) & (places < copied.n_bars - _SAME_PLACE)
        made, used = [], set()
        for time, place in zip(times[is_inside].tolist(), places[is_inside].tolist(), strict=True):
            source = _nearest(placed, place)
            if source is not None:
                used.add(source.place)
            cue = None if source is None else source.cue
            made.append(_as_there(time, cue, usual=usual[time], is_natural=time in natural))
        n_missing += len(placed) - len(used)
        overrides[lane_id] = tuple(made)
    return Pasted(overrides, n_missing)


def _as_there(time: float, source: Cue | None, *, usual: float, is_natural: bool) -> Override:
    """Return the override by which a hit becomes a copy of a cue, or fires nothing where that is None.

    Parameters
    ----------
    usual : float
        The strength that its cue has without an override.
    is_natural : bool
        Whether it fires without one.
    """
    if source is None:
        return Override(time, off=is_natural)
    factor = 1.0 if usual <= 0 else min(round(source.strength / usual, 3), 2.0)
    there = source.override or Override(time)
    strength = None if abs(factor - 1) < _SAME_STRENGTH else factor
    return replace(there, hit=time, off=False, taken=not is_natural, strength=strength)


def _nearest(placed: tuple[PlacedCue, ...], place: float) -> PlacedCue | None:
    near = min(placed, key=lambda one: abs(one.place - place), default=None)
    return near if near is not None and abs(near.place - place) <= _SAME_PLACE else None


def _without(project: Project, **changes: object) -> Project:
    """Return a project whose lanes have no changes to single cues."""
    lanes = tuple(replace(lane, overrides=(), **changes) for lane in project.lanes)
    return with_lanes(project, lanes=lanes)


def _by_lane(cues: Schedule, chosen: Iterable[CueKey]) -> list[tuple[LaneSchedule, FloatArray]]:
    """Return the lanes of some cues, in their order, and the times of those cues that are there."""
    keys = frozenset(chosen)
    found = []
    for lane in cues.lanes:
        times = [time for time in _times(lane).tolist() if (lane.lane.id, time) in keys]
        if times:
            found.append((lane, np.array(times)))
    return found


def _times(lane: LaneSchedule) -> FloatArray:
    return np.array([cue.hit.time for cue in lane.cues], np.float64)


def _shares(project: Project, times: FloatArray) -> FloatArray:
    """Return how far along their bars times are, 0 to 1."""
    return np.asarray(bar_places(bars_of(project), times) % 1.0)


def _bar_numbers(project: Project, times: FloatArray) -> FloatArray:
    """Return the bars of times, counted as `bar_places` does; just before a bar line is on it."""
    return np.floor(bar_places(bars_of(project), times) + _SAME_PLACE)
