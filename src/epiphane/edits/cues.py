"""Edits of single cues: overrides of what the lane would do at a hit."""

from collections.abc import Callable, Iterable
from typing import TypeAlias

from msgspec.structs import replace

from epiphane.document.ids import LaneId
from epiphane.document.lane import Override
from epiphane.document.model import Project

CueKey: TypeAlias = tuple[LaneId, float]
"""A cue: its lane, and the time of its hit in seconds."""

STRONGEST = 2.0
MOST_NUDGE = 240


def toggle_cues(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues switched off, or on again if all of them are off."""
    keys = list(cues)
    turn_off = not all(override_of(project, key).off for key in keys)
    return _changed(project, keys, lambda override: replace(override, off=turn_off))


def scale_cues(project: Project, cues: Iterable[CueKey], factor: float) -> Project:
    """Return `project` with the strength of the cues multiplied; it stays within 0..2."""

    def scaled(override: Override) -> Override:
        strength = 1.0 if override.strength is None else override.strength
        return replace(override, strength=_strength(strength * factor))

    return _changed(project, cues, scaled)


def set_cue_strength(project: Project, cues: Iterable[CueKey], strength: float) -> Project:
    """Return `project` with the cues at a strength, as a factor of the lane's depth, 0..2."""
    return _changed(project, cues, lambda override: replace(override, strength=_strength(strength)))


def nudge_cues(project: Project, cues: Iterable[CueKey], n_frames: int) -> Project:
    """Return `project` with the cues moved by frames from where they are."""

    def nudged(override: Override) -> Override:
        nudge = min(max(override.nudge + n_frames, -MOST_NUDGE), MOST_NUDGE)
        return replace(override, nudge=nudge)

    return _changed(project, cues, nudged)


def reset_cues(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues as their lane has them."""
    return _changed(project, cues, lambda override: Override(override.hit))


def override_of(project: Project, cue: CueKey) -> Override:
    """Return the override of a cue, or one that says nothing."""
    lane_id, hit = cue
    for lane in project.lanes:
        if lane.id == lane_id:
            for override in lane.overrides:
                if is_same_hit(override.hit, hit):
                    return override
    return Override(hit)


def is_same_hit(first: float, second: float) -> bool:
    """Whether two times, in seconds, are those of one hit: they are kept to a microsecond."""
    return abs(first - second) < 2e-6


def _strength(value: float) -> float | None:
    limited = round(min(max(value, 0.0), STRONGEST), 3)
    return None if limited == 1.0 else limited


def _changed(project: Project, cues: Iterable[CueKey], change: Callable[[Override], Override]) -> Project:
    by_lane: dict[LaneId, list[float]] = {}
    for lane_id, hit in cues:
        by_lane.setdefault(lane_id, []).append(hit)
    lanes = list(project.lanes)
    for index, lane in enumerate(lanes):
        overrides = {round(o.hit, 6): o for o in lane.overrides}
        for hit in by_lane.get(lane.id, ()):
            key = round(hit, 6)
            overrides[key] = change(overrides.get(key, Override(hit)))
        kept = sorted((o for o in overrides.values() if not o.says_nothing), key=lambda o: o.hit)
        if tuple(kept) != lane.overrides:
            lanes[index] = replace(lane, overrides=tuple(kept))
    return replace(project, lanes=tuple(lanes))
