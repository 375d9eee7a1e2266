"""Edits of lanes: which hits fire which effect with what shape."""

from collections.abc import Callable
from typing import TypeVar

import msgspec
from msgspec.structs import replace

from epiphane.document.model import (
    Envelope,
    Lane,
    LaneId,
    Project,
    Pulse,
    PulseId,
    PulseUnit,
    Setting,
    find,
)
from epiphane.errors import EditError

T = TypeVar("T", Lane, Envelope)


def add_lane(project: Project, effect: str, pulse: PulseId) -> Project:
    """Return `project` with a further lane, below the others, with the default values.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    find(project.pulses, pulse, "pulse")
    lane = Lane(LaneId(project.next_id), effect, pulse, seed=len(project.lanes) + 1)
    return replace(project, lanes=(*project.lanes, lane), next_id=project.next_id + 1)


def remove_lane(project: Project, lane_id: LaneId) -> Project:
    """Return `project` without a lane."""
    find(project.lanes, lane_id, "lane")
    return replace(project, lanes=tuple(lane for lane in project.lanes if lane.id != lane_id))


def move_lane(project: Project, lane_id: LaneId, *, to: int) -> Project:
    """Return `project` with a lane at another place in the order."""
    moved = find(project.lanes, lane_id, "lane")
    others = [lane for lane in project.lanes if lane is not moved]
    others.insert(min(max(to, 0), len(others)), moved)
    return replace(project, lanes=tuple(others))


def change_lane(project: Project, lane_id: LaneId, **changes: object) -> Project:
    """Return `project` with fields of a lane changed, e.g. ``depth=0.5``.

    Raises
    ------
    EditError
        If there is no such lane, or a value is outside its field's range.
    """

    def changed(lane: Lane) -> Lane:
        return _checked(replace(lane, **changes), Lane)

    return _with_lane(project, lane_id, changed)


def change_envelope(project: Project, lane_id: LaneId, **changes: object) -> Project:
    """Return `project` with sides of a lane's envelope changed, e.g. ``rise=3``.

    Raises
    ------
    EditError
        If there is no such lane, or a length is not within 0..600 frames.
    """
    envelope = find(project.lanes, lane_id, "lane").envelope
    changed = _checked(replace(envelope, **changes), Envelope)
    return _with_lane(project, lane_id, lambda lane: replace(lane, envelope=changed))


def set_setting(project: Project, lane_id: LaneId, setting: Setting) -> Project:
    """Return `project` with one parameter of a lane's effect set."""

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


def ensure_pulse(
    project: Project, unit: PulseUnit, *, every: int = 1, first: int = 0
) -> tuple[Project, PulseId]:
    """Return `project` with a pulse from the grid, and its id; one that is there is used again.

    Raises
    ------
    EditError
        If `every` is not within 1..64 or `first` not within 0..every-1.
    """
    if not 1 <= every <= 64:
        raise EditError(f"every Nth: N must be 1..64, got {every}")
    if not 0 <= first < every:
        raise EditError(f"the first of every {every} must be 0..{every - 1}, got {first}")
    for pulse in project.pulses:
        if (pulse.unit, pulse.every, pulse.first) == (unit, every, first):
            return project, pulse.id
    made = Pulse(PulseId(project.next_id), pulse_name(unit, every), unit, every, first)
    return replace(project, pulses=(*project.pulses, made), next_id=project.next_id + 1), made.id


def pulse_name(unit: PulseUnit, every: int) -> str:
    """Return what a pulse from the grid is called: ``beats``, ``every 3rd beat``."""
    if every == 1:
        return f"{unit.value}s"
    ending = {1: "st", 2: "nd", 3: "rd"}.get(every % 10 if every % 100 not in (11, 12, 13) else 0, "th")
    return f"every {every}{ending} {unit.value}"


def _checked(made: T, kind: type[T]) -> T:
    """Return what was made if every field is in its range: structures check this only when read."""
    try:
        return msgspec.convert(msgspec.to_builtins(made), kind)
    except msgspec.ValidationError as error:
        raise EditError(f"{kind.__name__.lower()}: {error}") from None


def _with_lane(project: Project, lane_id: LaneId, change: Callable[[Lane], Lane]) -> Project:
    old = find(project.lanes, lane_id, "lane")
    new = change(old)
    return replace(project, lanes=tuple(new if lane is old else lane for lane in project.lanes))
