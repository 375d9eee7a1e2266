"""Edits of single cues: overrides of what the lane would do at a hit."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, LaneId
from epiphane.document.lane import Accent, Lane, Override, Setting, Settings
from epiphane.document.project import Project, with_lanes
from epiphane.edits.checked import checked, with_changes

CueKey: TypeAlias = tuple[LaneId, float]
"""A cue: its lane, and the time of its hit in seconds."""

STRONGEST = 2.0
MOST_NUDGE = 240


def toggle_cues(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues switched off, or on again if all of them are off."""
    keys = list(cues)
    turn_off = not all(override_of(project, key).off for key in keys)
    return _changed(project, keys, lambda override, _: replace(override, off=turn_off))


def take_cues(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with hits fired that their lanes leave out."""
    return _changed(project, cues, lambda override, _: replace(override, taken=True, off=False))


def scale_cues(project: Project, cues: Iterable[CueKey], factor: float) -> Project:
    """Return `project` with the strength of the cues multiplied; it stays within 0..2."""

    def scaled(override: Override, _: Lane) -> Override:
        strength = 1.0 if override.strength is None else override.strength
        return replace(override, strength=_strength(strength * factor))

    return _changed(project, cues, scaled)


def set_cue_strength(project: Project, cues: Iterable[CueKey], strength: float) -> Project:
    """Return `project` with the cues at a strength, as a factor of the lane's depth, 0..2."""
    return _changed(project, cues, lambda override, _: replace(override, strength=_strength(strength)))


def nudge_cues(project: Project, cues: Iterable[CueKey], n_frames: int) -> Project:
    """Return `project` with the cues moved by frames from where they are."""
    return _changed(project, cues, lambda o, _: replace(o, nudge=_nudge(o.nudge + n_frames)))


def set_cue_nudge(project: Project, cues: Iterable[CueKey], n_frames: int) -> Project:
    """Return `project` with the cues so many frames after where their hits are."""
    return _changed(project, cues, lambda override, _: replace(override, nudge=_nudge(n_frames)))


def change_cue_envelope(project: Project, cues: Iterable[CueKey], **changes: object) -> Project:
    """Return `project` with sides of the cues' own envelopes changed; they begin as their lane's.

    Raises
    ------
    EditError
        If a length is not within its range.
    """

    def changed(override: Override, lane: Lane) -> Override:
        return replace(override, envelope=with_changes(override.envelope or lane.envelope, **changes))

    return _changed(project, cues, changed)


def reset_cue_envelope(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues in the shape of their lane."""
    return _changed(project, cues, lambda override, _: replace(override, envelope=None))


def set_cue_effect(project: Project, cues: Iterable[CueKey], effect: str | None) -> Project:
    """Return `project` with another effect, at its own values, in the cues' place; None is their lane's."""

    def changed(override: Override, lane: Lane) -> Override:
        wanted = None if effect == lane.effect else effect
        return override if wanted == override.effect else replace(override, effect=wanted, settings=())

    return _changed(project, cues, changed)


def set_cue_accent(project: Project, cues: Iterable[CueKey], accent: Accent | None) -> Project:
    """Return `project` with another sound heard with the cues; None is their lane's."""
    return _changed(project, cues, lambda override, _: replace(override, accent=accent))


def set_cue_setting(project: Project, cues: Iterable[CueKey], setting: Setting) -> Project:
    """Return `project` with one parameter of the cues' effect set.

    Raises
    ------
    EditError
        If a value is not within its range.
    """
    checked(setting, Setting)

    def changed(override: Override, _: Lane) -> Override:
        others = tuple(other for other in override.settings if other.name != setting.name)
        return replace(override, settings=(*others, setting))

    return _changed(project, cues, changed)


def reset_cue_settings(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues at the values of their lane."""
    return _changed(project, cues, lambda override, _: replace(override, settings=()))


def reset_cues(project: Project, cues: Iterable[CueKey]) -> Project:
    """Return `project` with the cues as their lane has them."""
    return _changed(project, cues, lambda override, _: Override(override.hit))


def lay_overrides(project: Project, overrides: Mapping[LaneId, Sequence[Override]]) -> Project:
    """Return `project` with what some hits of lanes are to do in place of what they did."""
    laid = {(lane, round(one.hit, 6)): one for lane, ones in overrides.items() for one in ones}
    return _changed(project, laid, lambda override, lane: laid[lane.id, round(override.hit, 6)])


class CueLook(Struct, frozen=True):
    """What a cue is, whichever hit it has: its effect with its own values, its shape, its clip and its sound.

    Without a shape, a clip or a sound it has those of its lane.
    """

    effect: str
    settings: Settings = ()
    envelope: Envelope | None = None
    clip: FootageId | None = None
    accent: Accent | None = None


def look_of(lane: Lane, override: Override) -> CueLook:
    """Return what a cue of a lane is, by what is changed of it."""
    own = override.effect or lane.effect
    # Values of its lane that are not its own ones count too: in another lane they would be other ones.
    settings = override.settings
    if override.effect is None:
        named = {one.name for one in settings}
        settings = (*(one for one in lane.settings if one.name not in named), *settings)
    return CueLook(own, settings, override.envelope, override.clip, override.accent)


def lay_look(
    project: Project, cues: Iterable[CueKey], look: CueLook, is_alike: Callable[[str, str], bool]
) -> Project:
    """Return `project` with cues that are what another one is; strength, nudge and being off stay theirs.

    Parameters
    ----------
    is_alike : of two keys
        Whether one effect may stand in the place of the other; where it may not, a cue keeps its own.
    """

    def changed(override: Override, lane: Lane) -> Override:
        made = replace(override, envelope=look.envelope, clip=look.clip, accent=look.accent)
        if look.effect == lane.effect:
            own = tuple(one for one in look.settings if one not in lane.settings)
            return replace(made, effect=None, settings=own)
        if not is_alike(look.effect, lane.effect):
            return made
        return replace(made, effect=look.effect, settings=look.settings)

    return _changed(project, cues, changed)


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


def _nudge(n_frames: int) -> int:
    return min(max(n_frames, -MOST_NUDGE), MOST_NUDGE)


def _changed(
    project: Project, cues: Iterable[CueKey], change: Callable[[Override, Lane], Override]
) -> Project:
    by_lane: dict[LaneId, list[float]] = {}
    for lane_id, hit in cues:
        by_lane.setdefault(lane_id, []).append(hit)
    lanes = list(project.lanes)
    for index, lane in enumerate(lanes):
        overrides = {round(o.hit, 6): o for o in lane.overrides}
        for hit in by_lane.get(lane.id, ()):
            key = round(hit, 6)
            overrides[key] = change(overrides.get(key, Override(hit)), lane)
        kept = sorted((o for o in overrides.values() if not o.says_nothing), key=lambda o: o.hit)
        if tuple(kept) != lane.overrides:
            lanes[index] = replace(lane, overrides=tuple(kept))
    return with_lanes(project, lanes=tuple(lanes))
