"""What to draw on a frame, as plain data: equal plans give equal pictures."""

from typing import TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import ParameterValue
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.document.timeline import Shot
from epiphane.effects.declare import EFFECTS, Around, Need
from epiphane.facts.source_time import shot_at, source_seconds
from epiphane.keying.schedule import Schedule
from epiphane.render.placing import COVERING, Placing, placing_of

EffectValues: TypeAlias = tuple[tuple[str, ParameterValue], ...]


class SourceFrame(Struct, frozen=True):
    """A picture of some footage: the one on screen `seconds` after the footage's first."""

    path: str
    fingerprint: str
    seconds: float


class ActiveEffect(Struct, frozen=True):
    """An effect at work on a frame, with the values it has there.

    `others` are the other pictures of the footage it needs, `after` its values a frame later where it blurs
    what moves meanwhile.
    """

    key: str
    version: int
    values: EffectValues
    others: tuple["Shown", ...] = ()
    after: EffectValues = ()


class Shown(Struct, frozen=True):
    """A picture of some footage as it lies in the frame."""

    source: SourceFrame
    placing: Placing


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
        return FramePlan(None, shape, tuple(effect for effect, _, _ in effects))

    def shown(wanted: int) -> Shown:
        inside = min(max(wanted, shot.start), shot.start + shot.n_frames - 1)
        return Shown(source_of(project, shot, footage, inside), placing_of(shot, inside))

    here = frame + sum(shift for _, shift, _ in effects)
    now = shown(here)
    active = tuple(
        replace(effect, others=tuple(shown(here + echo) for echo in echoes)) if echoes else effect
        for effect, _, echoes in effects
    )
    return FramePlan(now.source, shape, active, now.placing)


def source_of(project: Project, shot: Shot, footage: Footage, frame: int) -> SourceFrame:
    """Return the picture of its footage that a shot shows on a frame of the project."""
    seconds = round(source_seconds(shot, footage, frame, project.rate), 9)
    return SourceFrame(footage.path, footage.fingerprint, seconds)


def _footage(project: Project, footage_id: FootageId) -> Footage | None:
    return next((one for one in project.footage if one.id == footage_id), None)


def _effects(project: Project, cues: Schedule, frame: int) -> list[tuple[ActiveEffect, int, tuple[int, ...]]]:
    """Return the effects at work, each with its shift of the footage and the other frames it wants."""
    aspect, rate = project.width / project.height, float(project.rate)
    active = []
    for lane_cues in cues.lanes:
        level = float(lane_cues.levels[frame]) if 0 <= frame < len(lane_cues.levels) else 0.0
        instance = lane_cues.instance_at(frame) if level != 0 else lane_cues.lane.instance
        effect = EFFECTS.find(instance.effect)
        if level != 0 and effect is not None:
            seed = lane_cues.lane.seed
            since = lane_cues.since_peak(frame) if Need.CUE in effect.needs else 0
            around = Around(aspect, frame, rate, seed, since)
            values = effect.values_at(instance.settings, level, around)
            after: EffectValues = ()
            if effect.has_shutter and dict(values)["shutter"]:
                next_level = float(lane_cues.levels[min(frame + 1, len(lane_cues.levels) - 1)])
                later = Around(aspect, frame + 1, rate, seed, since + 1)
                after = effect.values_at(instance.settings, next_level, later)
            made = ActiveEffect(effect.key, effect.version, values, after=after)
            active.append((made, effect.shift_of(values), effect.echoes_of(values)))
    return active
