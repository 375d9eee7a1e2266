"""Edits of lanes that are played by hand: what was played is the hits of a pulse of their own."""

from msgspec.structs import replace

from epiphane.document.ids import LaneId
from epiphane.document.lane import Trigger
from epiphane.document.pick import Pick
from epiphane.document.project import Project, find, pulse_of
from epiphane.document.pulse import Pulse, TappedSource
from epiphane.document.song import Hit
from epiphane.edits.keying.cues import change_cue_envelope, override_of
from epiphane.edits.keying.lanes import change_lane, fire_by
from epiphane.edits.keying.pulses import add_pulse, add_taps, change_pulse

_LONGEST_HOLD = 600


def play_hit(project: Project, lane_id: LaneId, time: float) -> Project:
    """Return `project` with a lane fired at one instant more, in seconds.

    A lane that is fired by another pulse gets a tapped one of its own first.

    Raises
    ------
    EditError
        If there is no such lane.
    """
    project, pulse = _own_pulse(project, lane_id)
    return add_taps(project, pulse.id, (Hit(round(time, 6)),))


def forget_played(project: Project, lane_id: LaneId, start: float, end: float) -> Project:
    """Return `project` without what was played on a lane between two instants, to be played anew."""
    lane = find(project.lanes, lane_id, "lane")
    pulse = pulse_of(project, lane)
    if pulse is None or not isinstance(pulse.source, TappedSource) or pulse.source.played_on != lane_id:
        return project
    kept = tuple(hit for hit in pulse.source.hits if not start - 1e-6 <= hit.time < end - 1e-6)
    overrides = tuple(one for one in lane.overrides if not start - 1e-6 <= one.hit < end - 1e-6)
    project = change_lane(project, lane_id, overrides=overrides)
    return change_pulse(project, pulse.id, source=replace(pulse.source, hits=kept))


def hold_hit(project: Project, lane_id: LaneId, time: float, n_frames: int) -> Project:
    """Return `project` with the cue of a hit of a lane held for some frames, as long as its key was."""
    lane = find(project.lanes, lane_id, "lane")
    if override_of(project, (lane_id, time)).envelope is None and n_frames <= lane.envelope.hold:
        return project
    hold = float(min(max(n_frames, 0), _LONGEST_HOLD))
    return change_cue_envelope(project, [(lane_id, round(time, 6))], hold=hold)


def _own_pulse(project: Project, lane_id: LaneId) -> tuple[Project, Pulse]:
    """Return `project` with a lane that is fired by what was played on it alone, and that pulse."""
    lane = find(project.lanes, lane_id, "lane")
    pulse = pulse_of(project, lane)
    if pulse is not None and isinstance(pulse.source, TappedSource) and pulse.source.played_on == lane_id:
        return project, pulse
    source = TappedSource(played_on=lane_id)
    project, number = add_pulse(project, source, name=f"{lane.name or lane.effect} played")
    project = fire_by(project, lane_id, number)
    project = change_lane(project, lane_id, trigger=Trigger.FIRE, pick=Pick())
    return project, find(project.pulses, number, "pulse")
