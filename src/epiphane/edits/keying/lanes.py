"""Edits of lanes: which hits fire which effect with what shape."""

from collections.abc import Callable, Collection, Iterable

from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Override, Setting, Span, Trigger
from epiphane.document.pick import Pick
from epiphane.document.project import Project, find, with_lanes
from epiphane.edits.checked import checked, with_changes

_USUAL = Envelope()
_OVER_A_PART, _OVER_THE_FILM = Envelope(6, 0, 6), Envelope(0, 0, 0)
_NO_HITS = Pick(end=0.0)
"""Of a lane that fires only where it is told to by hand."""


def add_lane(project: Project, effect: str, pulse: PulseId, *, envelope: Envelope = _USUAL) -> Project:
    """Return `project` with a further lane, below the others, with the declared values of its effect.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    find(project.pulses, pulse, "pulse")
    lane = Lane(LaneId(project.next_id), effect, pulse, envelope, seed=len(project.lanes) + 1)
    return with_lanes(project, lanes=(*project.lanes, lane), next_id=project.next_id + 1)


def add_lasting_lane(project: Project, effect: str, pulse: PulseId, span: Span | None = None) -> Project:
    """Return `project` with a further lane that is on over a span, or over all of the film without one.

    Within the film it comes and goes softly.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    project = add_lane(project, effect, pulse, envelope=_OVER_THE_FILM if span is None else _OVER_A_PART)
    spans = () if span is None else (span,)
    lane = replace(project.lanes[-1], trigger=Trigger.SPAN, spans=spans)
    return with_lanes(project, lanes=(*project.lanes[:-1], lane))


def put_first(project: Project, lanes: Iterable[Lane], pulse: PulseId) -> Project:
    """Return `project` with further lanes before all others; those of their names, kind and trigger are gone.

    Their numbers and their pulse are given here.
    """
    made = tuple(lanes)
    names = {(one.effect, one.trigger, one.name) for one in made}
    others = (one for one in project.lanes if (one.effect, one.trigger, one.name) not in names)
    numbered = (
        replace(one, id=LaneId(project.next_id + number), pulse=pulse, seed=number + 1)
        for number, one in enumerate(made)
    )
    return with_lanes(project, (*numbered, *others), next_id=project.next_id + len(made))


def copy_lane(
    project: Project, lane_id: LaneId, *, effect: str | None = None, envelope: Envelope | None = None
) -> Project:
    """Return `project` with a copy of a lane below it: the same hits, shape and changed cues.

    With another `effect` it has that one, at its declared values: those of the lane's own mean nothing to it.
    With an `envelope` it has that shape.

    Raises
    ------
    EditError
        If there is no such lane.
    """
    lane = find(project.lanes, lane_id, "lane")
    # The seed stays: chance has its part in which hits they are.
    made = replace(lane, id=LaneId(project.next_id), is_solo=False)
    if effect is not None and effect != lane.effect:
        made = replace(made, effect=effect, settings=(), envelope=envelope or made.envelope)
    at = project.lanes.index(lane) + 1
    lanes = (*project.lanes[:at], made, *project.lanes[at:])
    return with_lanes(project, lanes=lanes, next_id=project.next_id + 1)


def add_lane_on_hit(
    project: Project, effect: str, pulse: PulseId, hit: float, *, envelope: Envelope = _USUAL
) -> Project:
    """Return `project` with a further lane that fires on a single hit of a pulse, seconds, and on no other.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    project = add_lane(project, effect, pulse, envelope=envelope)
    lane = replace(project.lanes[-1], pick=_NO_HITS, overrides=(Override(round(hit, 6), taken=True),))
    return with_lanes(project, lanes=(*project.lanes[:-1], lane))


def remove_lane(project: Project, lane_id: LaneId) -> Project:
    """Return `project` without a lane."""
    find(project.lanes, lane_id, "lane")
    return with_lanes(project, lanes=tuple(lane for lane in project.lanes if lane.id != lane_id))


def move_lane(project: Project, lane_id: LaneId, *, to: int) -> Project:
    """Return `project` with a lane at another place in the order."""
    moved = find(project.lanes, lane_id, "lane")
    others = [lane for lane in project.lanes if lane is not moved]
    others.insert(min(max(to, 0), len(others)), moved)
    return with_lanes(project, lanes=tuple(others))


def change_lanes(project: Project, ids: Collection[LaneId], **changes: object) -> Project:
    """Return `project` with the same fields of some lanes changed, e.g. ``depth=0.5``.

    Raises
    ------
    EditError
        If a value is outside its field's range.
    """
    for lane in ids:
        project = change_lane(project, lane, **changes)
    return project


def shape_lanes(project: Project, ids: Collection[LaneId], **changes: object) -> Project:
    """Return `project` with the same sides of the envelopes of some lanes changed, e.g. ``rise=3``.

    Raises
    ------
    EditError
        If a length is not within 0..600 frames or beats.
    """
    for lane in ids:
        project = change_envelope(project, lane, **changes)
    return project


def shift_lanes(project: Project, ids: Collection[LaneId], n_frames: int) -> Project:
    """Return `project` with all cues of some lanes so many frames later, or earlier below 0.

    Raises
    ------
    EditError
        If a peak would be more than 240 frames from its hit.
    """
    for lane in project.lanes:
        if lane.id in ids:
            project = change_envelope(project, lane.id, lead=lane.envelope.lead - n_frames)
    return project


def change_lane(project: Project, lane_id: LaneId, **changes: object) -> Project:
    """Return `project` with fields of a lane changed, e.g. ``depth=0.5``.

    Raises
    ------
    EditError
        If there is no such lane, or a value is outside its field's range.
    """

    def changed(lane: Lane) -> Lane:
        return with_changes(lane, **changes)

    return _with_lane(project, lane_id, changed)


def change_envelope(project: Project, lane_id: LaneId, **changes: object) -> Project:
    """Return `project` with sides of a lane's envelope changed, e.g. ``rise=3``.

    Raises
    ------
    EditError
        If there is no such lane, or a length is not within 0..600 frames or beats.
    """
    changed = with_changes(find(project.lanes, lane_id, "lane").envelope, **changes)
    return _with_lane(project, lane_id, lambda lane: replace(lane, envelope=changed))


def set_setting(project: Project, lane_id: LaneId, setting: Setting) -> Project:
    """Return `project` with one parameter of a lane's effect set.

    Raises
    ------
    EditError
        If there is no such lane, or a value is outside its field's range.
    """
    checked(setting, Setting)

    def changed(lane: Lane) -> Lane:
        others = tuple(other for other in lane.settings if other.name != setting.name)
        return replace(lane, settings=(*others, setting))

    return _with_lane(project, lane_id, changed)


def reset_setting(project: Project, lane_id: LaneId, name: str) -> Project:
    """Return `project` with one parameter of a lane's effect back at its default."""

    def changed(lane: Lane) -> Lane:
        return replace(lane, settings=tuple(s for s in lane.settings if s.name != name))

    return _with_lane(project, lane_id, changed)


def fire_by(project: Project, lane_id: LaneId, pulse: PulseId) -> Project:
    """Return `project` with a lane fired by another pulse; overrides stay with their hits."""
    find(project.pulses, pulse, "pulse")
    return _with_lane(project, lane_id, lambda lane: replace(lane, pulse=pulse))


def _with_lane(project: Project, lane_id: LaneId, change: Callable[[Lane], Lane]) -> Project:
    old = find(project.lanes, lane_id, "lane")
    new = change(old)
    return with_lanes(project, lanes=tuple(new if lane is old else lane for lane in project.lanes))
