"""Edits of single taps of a tapped pulse."""

from collections.abc import Callable

from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.lane import Lane, Override
from epiphane.document.project import Project, find, with_lanes
from epiphane.document.pulse import CombinedSource, TappedSource
from epiphane.document.song import Hit
from epiphane.edits.keying.pulses import change_pulse
from epiphane.edits.shots.pins import repinned
from epiphane.errors import EditError
from epiphane.wording import tr

SAME_TAP_SECONDS = 1e-6


def tap_at(project: Project, pulse_id: PulseId, time: float) -> Hit:
    """Return the tap of a pulse at an instant, in seconds of the song.

    Raises
    ------
    EditError
        If the pulse is not a tapped one, or has none there.
    """
    source = find(project.pulses, pulse_id, "pulse").source
    hits = source.hits if isinstance(source, TappedSource) else ()
    for hit in hits:
        if abs(hit.time - time) <= SAME_TAP_SECONDS:
            return hit
    raise EditError(tr("there is no tap at {time:.3f} s", time=time))


def move_tap(project: Project, pulse_id: PulseId, time: float, *, to: float) -> Project:
    """Return `project` with one tap at another instant; what was keyed or pinned to it goes along.

    Raises
    ------
    EditError
        If there is no such tap, another one is there already, or it would lie outside the song.
    """
    tap = tap_at(project, pulse_id, time)
    to = round(to, 6)
    end = float(project.n_frames / project.rate)
    if not 0 <= to <= end:
        raise EditError(tr("a tap must lie within the song, 0 to {end:.3f} s, got {to:.3f}", end=end, to=to))
    if to == tap.time:
        return project
    moved = _with_tap(project, pulse_id, tap, replace(tap, time=to))

    def place(hit: float) -> float:
        return to if abs(hit - tap.time) <= SAME_TAP_SECONDS else hit

    users = _made_of(project, pulse_id)
    lanes = tuple(_rekeyed(lane, place) if lane.pulse in users else lane for lane in moved.lanes)
    return repinned(with_lanes(moved, lanes=lanes), move=place)


def set_tap_strength(project: Project, pulse_id: PulseId, time: float, strength: float) -> Project:
    """Return `project` with one tap of another strength, 0 to 1.

    Raises
    ------
    EditError
        If there is no such tap, or the strength is out of range.
    """
    tap = tap_at(project, pulse_id, time)
    return _with_tap(project, pulse_id, tap, replace(tap, strength=strength))


def remove_tap(project: Project, pulse_id: PulseId, time: float) -> Project:
    """Return `project` without one tap of a pulse.

    Raises
    ------
    EditError
        If there is no such tap.
    """
    return _with_tap(project, pulse_id, tap_at(project, pulse_id, time), None)


def _with_tap(project: Project, pulse_id: PulseId, old: Hit, new: Hit | None) -> Project:
    source = find(project.pulses, pulse_id, "pulse").source
    assert isinstance(source, TappedSource)
    others = [hit for hit in source.hits if hit is not old]
    if new is not None and any(abs(hit.time - new.time) <= SAME_TAP_SECONDS for hit in others):
        raise EditError(tr("there is a tap at {time:.3f} s already", time=new.time))
    hits = sorted([*others, new] if new is not None else others, key=lambda hit: hit.time)
    return change_pulse(project, pulse_id, source=TappedSource(tuple(hits)))


def _made_of(project: Project, pulse_id: PulseId) -> set[PulseId]:
    """Return a pulse and all pulses that are made of it, however far down."""
    found, n_before = {pulse_id}, 0
    while n_before != len(found):
        n_before = len(found)
        for pulse in project.pulses:
            if isinstance(pulse.source, CombinedSource) and {pulse.source.one, pulse.source.other} & found:
                found.add(pulse.id)
    return found


def _rekeyed(lane: Lane, place: Callable[[float], float]) -> Lane:
    """Return a lane with its overrides where their hits are now; of two on one hit the moved one stays."""
    overrides: dict[float, Override] = {}
    for override in lane.overrides:
        hit = place(override.hit)
        if hit != override.hit or hit not in overrides:
            overrides[hit] = override if hit == override.hit else replace(override, hit=hit)
    made = tuple(overrides[hit] for hit in sorted(overrides))
    return lane if made == lane.overrides else replace(lane, overrides=made)
