"""Edits of the spans over which lanes are on."""

from collections.abc import Sequence

from msgspec.structs import replace

from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Span, Trigger
from epiphane.document.project import Project, find, with_lanes
from epiphane.errors import EditError
from epiphane.wording import tr

_SHORTEST = 0.001


def add_span(project: Project, lane_id: LaneId, start: float, end: float) -> Project:
    """Return `project` with a lane on over one span more, in seconds; spans that meet become one.

    Raises
    ------
    EditError
        If there is no such lane, or the span is empty.
    """
    lane = find(project.lanes, lane_id, "lane")
    return _with_spans(project, lane, [*lane.spans, _checked(project, start, end)])


def change_span(project: Project, lane_id: LaneId, old: Span, start: float, end: float) -> Project:
    """Return `project` with a span of a lane beginning and ending elsewhere; it keeps what was changed of it.

    A span that follows from the song, and is not the lane's own yet, becomes that.

    Raises
    ------
    EditError
        If there is no such lane, or the span would be empty.
    """
    lane = find(project.lanes, lane_id, "lane")
    made = _checked(project, start, end)
    others = [span for span in lane.spans if span != old]
    changed = tuple(
        replace(one, hit=made.start) if abs(one.hit - old.start) < 2e-6 else one for one in lane.overrides
    )
    return _with_spans(project, replace(lane, overrides=changed), [*others, made])


def remove_span(project: Project, lane_id: LaneId, span: Span) -> Project:
    """Return `project` without a span of a lane; without any of its own it is on wherever its pick lies."""
    lane = find(project.lanes, lane_id, "lane")
    return _with_spans(project, lane, [one for one in lane.spans if one != span])


def clear_spans(project: Project, lane_id: LaneId) -> Project:
    """Return `project` with a lane on wherever its pick lies: all of the song, unless it is for some part."""
    return _with_spans(project, find(project.lanes, lane_id, "lane"), [])


def _checked(project: Project, start: float, end: float) -> Span:
    length = float(project.n_frames / project.rate)
    first, last = max(0.0, round(min(start, end), 6)), min(round(max(start, end), 6), length)
    if last - first < _SHORTEST:
        raise EditError(tr("a span must lie within the song and be longer than nothing"))
    return Span(first, last)


def _with_spans(project: Project, lane: Lane, spans: Sequence[Span]) -> Project:
    joined: list[Span] = []
    for span in sorted(spans, key=lambda one: (one.start, one.end)):
        if joined and span.start < joined[-1].end - 1e-9:
            joined[-1] = Span(joined[-1].start, max(joined[-1].end, span.end))
        else:
            joined.append(span)
    made = replace(lane, spans=tuple(joined), trigger=Trigger.SPAN)
    return with_lanes(project, (made if one.id == lane.id else one for one in project.lanes))
