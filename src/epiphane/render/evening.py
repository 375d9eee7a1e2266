"""Evening out of clips that were shot differently: a grade for each that is unlike the others."""

from collections.abc import Sequence

import numpy as np

from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, LaneId, PulseId
from epiphane.document.lane import Lane, Setting, Settings, Span, Trigger
from epiphane.document.project import Project, footage_of, with_lanes
from epiphane.document.timeline import Item
from epiphane.edits.shots.shots import footage_name
from epiphane.effects.declare import EFFECTS
from epiphane.facts.form import parts_of
from epiphane.keying.schedule import schedule
from epiphane.render.draw import Sources, draw
from epiphane.render.matching import MATCHED, Statistics, few_levels, matched_to, statistics_of
from epiphane.render.plan import plan_frame
from epiphane.timing import frame_start
from epiphane.types import FloatArray, Progress, Size, ignore_progress
from epiphane.wording import tr

_SIZE: Size = (96, 54)
_MOST_FRAMES = 5
_LONGEST_NAME = 80
_LEFT_AT_REST = ("shadows_colour", "highlights_colour")
"""Controls that a fresh grade has set, and a match leaves at rest."""
_FEWEST_CLIPS = 2
_SAME_SECONDS = 0.02
_LEAST = {"exposure": 0.2, "warmth": 8.0, "green": 8.0}
"""Changes of a control that are seen; a clip that needs none of them is left as it is."""


def even_lanes(
    project: Project,
    sources: Sources,
    *,
    wanted: Statistics | None = None,
    by_part: bool = False,
    progress: Progress = ignore_progress,
) -> tuple[Lane, ...]:
    """Return a lane with a grade for each clip on the main track whose light or colour is unlike the others'.

    It is on over the shots of the clip and is called after it; its number and its pulse are not given yet.
    Each clip is brought to the mean light of each channel that is `wanted`, or to the median of all, on five
    of its frames at most.

    Parameters
    ----------
    project : Project
    sources : Sources
    wanted : Statistics, optional
        Of the picture to which all clips are brought.
    by_part : bool
        Even out the clips of each part of the song among themselves: a part may be darker than another.
    progress : callable
        Told the share that is done, 0 to 1.
    """
    groups = _groups(project, by_part=by_part)
    plain = with_lanes(project, ())
    n_groups, n_done = sum(map(len, groups.values())), 0
    found = []
    for part, shots in groups.items():
        if len(shots) < _FEWEST_CLIPS and wanted is None:
            continue
        levels: dict[FootageId, FloatArray] = {}
        for clip, its_shots in shots.items():
            progress(n_done / n_groups)
            levels[clip] = np.concatenate([few_levels(one) for one in _pictures(plain, its_shots, sources)])
            n_done += 1
        aim = _median([statistics_of(one) for one in levels.values()]) if wanted is None else wanted
        for clip, colours in levels.items():
            settings = _settings(colours, aim)
            if settings:
                found.append(_lane(project, clip, part, _spans(project, shots[clip]), settings))
    return tuple(found)


def without_evened(project: Project) -> Project:
    """Return `project` without the lanes that an earlier evening out has put."""
    begins = tr("Evened: {clip}", clip="")
    return with_lanes(
        project, (one for one in project.lanes if one.effect != "grade" or not one.name.startswith(begins))
    )


def _groups(project: Project, *, by_part: bool) -> dict[str, dict[FootageId, list[Item]]]:
    """Return the shots of each clip, by the parts of the song where they begin, or all as one of no name."""
    parts = parts_of(project.song) if by_part else ()
    groups: dict[str, dict[FootageId, list[Item]]] = {}
    for shot in project.shots:
        if shot.footage is not None:
            start = frame_start(shot.start, project.rate)
            part = next((one.label for one in reversed(parts) if one.start <= start + _SAME_SECONDS), "")
            groups.setdefault(part, {}).setdefault(shot.footage, []).append(shot)
    return groups


def _settings(colours: FloatArray, wanted: Statistics) -> Settings:
    """Return the settings of a grade that brings colours to what is wanted, none where none is seen."""
    effect = EFFECTS.named("grade")
    at_rest = dict(effect.values_at((), 0.0))
    values = matched_to(wanted, colours, at_rest, is_light_alone=True)
    if all(abs(values[name] - float(at_rest[name])) < _LEAST[name] for name in _LEAST):
        return ()
    rest = {name: float(at_rest[name]) for name in (*MATCHED, *_LEFT_AT_REST)}
    return tuple(Setting(name, values.get(name, value), value) for name, value in rest.items())


def _lane(project: Project, clip: FootageId, part: str, spans: tuple[Span, ...], settings: Settings) -> Lane:
    footage = footage_of(project, clip)
    shown = "" if footage is None else footage_name(footage)
    name = tr("Evened: {clip}", clip=f"{shown}, {part}" if part else shown)[:_LONGEST_NAME]
    at_once = Envelope(0, 0, 0)
    return Lane(
        LaneId(0),
        "grade",
        PulseId(0),
        at_once,
        settings=settings,
        trigger=Trigger.SPAN,
        spans=spans,
        name=name,
        is_folded=True,
    )


def _pictures(plain: Project, shots: Sequence[Item], sources: Sources) -> list[np.ndarray]:
    chosen = [shots[round(place)] for place in np.linspace(0, len(shots) - 1, min(len(shots), _MOST_FRAMES))]
    cues = schedule(plain)
    middles = [(shot.start + shot.end) // 2 for shot in chosen]
    return [draw(plan_frame(plain, cues, frame), sources, _SIZE) for frame in middles]


def _median(all_of_them: Sequence[Statistics]) -> Statistics:
    light = np.median([one.light for one in all_of_them], axis=0)
    spread, saturation = (
        float(np.median([getattr(one, name) for one in all_of_them])) for name in ("spread", "saturation")
    )
    return Statistics(light, spread, saturation)


def _spans(project: Project, shots: Sequence[Item]) -> tuple[Span, ...]:
    """Return where a clip is shown, in seconds; shots of it after one another are one."""
    spans: list[tuple[int, int]] = []
    for shot in shots:
        if spans and spans[-1][1] == shot.start:
            spans[-1] = spans[-1][0], shot.end
        else:
            spans.append((shot.start, shot.end))
    rate = project.rate
    return tuple(Span(frame_start(first, rate), frame_start(end, rate)) for first, end in spans)
