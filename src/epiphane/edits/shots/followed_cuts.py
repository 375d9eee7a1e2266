"""Changes to the cues of cuts: they stay with their cut where shots are moved."""

from msgspec.structs import replace

from epiphane.document.lane import Lane, Override
from epiphane.document.project import Project, pulse_of, with_lanes
from epiphane.facts.cuts import cut_hit_time, cuts_of
from epiphane.facts.hits import counts_cuts


def with_cuts_followed(old: Project, new: Project, *, later: float = 0.0) -> Project:
    """Return `new`, whose shots lie elsewhere than in `old`, with changed cues of cuts on their cuts again.

    A cut is known by the shot that begins on it. Where it is gone, the change waits at its old place.

    Parameters
    ----------
    later : float, seconds
        By how much the changes to cues have been moved already.
    """
    lanes = [lane for lane in new.lanes if lane.overrides and _is_on_cuts(new, lane)]
    if not lanes or (old.shots is new.shots and old.rate == new.rate):
        return new
    there = {cut.name: cut_hit_time(cut.frame, new.rate) for cut in cuts_of(new)}
    places = {
        round(cut_hit_time(cut.frame, old.rate) + later, 6): there[cut.name]
        for cut in cuts_of(old)
        if cut.name in there
    }
    made = {lane.id: _followed(lane, places) for lane in lanes}
    return with_lanes(new, (made.get(lane.id, lane) for lane in new.lanes))


def _is_on_cuts(project: Project, lane: Lane) -> bool:
    pulse = pulse_of(project, lane)
    return pulse is not None and counts_cuts(pulse, project.pulses)


def _followed(lane: Lane, places: dict[float, float]) -> Lane:
    """Return a lane with its overrides at the places of their cuts."""
    by_hit: dict[float, Override] = {}
    for override in lane.overrides:
        hit = places.get(round(override.hit, 6), override.hit)
        by_hit.setdefault(hit, override if hit == override.hit else replace(override, hit=hit))
    return replace(lane, overrides=tuple(by_hit[hit] for hit in sorted(by_hit)))
