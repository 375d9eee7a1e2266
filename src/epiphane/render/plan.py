"""What to draw on a frame, as plain data: equal plans give equal pictures."""

from typing import TypeAlias

from msgspec import Struct

from epiphane.document.model import Footage, FootageId, FootageKind, Project, Shot
from epiphane.document.shots import source_seconds
from epiphane.effects.declare import Around, ParameterValue
from epiphane.effects.registry import find_effect
from epiphane.keying.schedule import Schedule
from epiphane.render.placing import COVERING, Placing, placing_of
from epiphane.timeline.shots import shot_at

EffectValues: TypeAlias = tuple[tuple[str, ParameterValue], ...]


class SourceFrame(Struct, frozen=True):
    """A picture of some footage: the one on screen `seconds` after the footage's first."""

    path: str
    fingerprint: str
    seconds: float


class ActiveEffect(Struct, frozen=True):
    """An effect at work on a frame, with the values it has there."""

    key: str
    version: int
    values: EffectValues


class FramePlan(Struct, frozen=True):
    """One frame: its source (None is black), the frame's shape, how it lies in it, effects in order."""

    source: SourceFrame | None
    shape: tuple[int, int]
    effects: tuple[ActiveEffect, ...] = ()
    placing: Placing = COVERING


def plan_frame(project: Project, cues: Schedule, frame: int) -> FramePlan:
    """Return what to draw on a frame of the project.

    Effects at rest are left out, so a plan without effects says that the footage goes through
    untouched. Lanes of effects that this version does not know do nothing.
    """
    shape, effects = (project.width, project.height), _effects(project, cues, frame)
    shot = shot_at(project, frame)
    footage = None if shot is None else _footage(project, shot.footage)
    if shot is None or footage is None or footage.kind is FootageKind.SOUND:
        return FramePlan(None, shape, effects)
    return FramePlan(source_of(project, shot, footage, frame), shape, effects, placing_of(shot, frame))


def source_of(project: Project, shot: Shot, footage: Footage, frame: int) -> SourceFrame:
    """Return the picture of its footage that a shot shows on a frame of the project."""
    seconds = round(source_seconds(shot, footage, frame, project.rate), 9)
    return SourceFrame(footage.path, footage.fingerprint, seconds)


def _footage(project: Project, footage_id: FootageId) -> Footage | None:
    return next((one for one in project.footage if one.id == footage_id), None)


def _effects(project: Project, cues: Schedule, frame: int) -> tuple[ActiveEffect, ...]:
    aspect, rate = project.width / project.height, float(project.rate)
    active = []
    for lane_cues in cues.lanes:
        level = float(lane_cues.levels[frame]) if 0 <= frame < len(lane_cues.levels) else 0.0
        effect = find_effect(lane_cues.lane.effect)
        if level > 0 and effect is not None:
            around = Around(aspect, frame, rate, lane_cues.lane.seed)
            values = effect.values_at(lane_cues.lane, level, around)
            active.append(ActiveEffect(effect.key, effect.version, values))
    return tuple(active)
