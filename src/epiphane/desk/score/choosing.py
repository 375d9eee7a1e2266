"""Lane selection on the score: ranges by name, and the nearest one in the folded row."""

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import Selection, lanes_selected
from epiphane.desk.score.layout import Place, ScoreLayout
from epiphane.document.ids import LaneId


def lanes_with(editor: Editor, lane: LaneId, *, is_range: bool) -> Selection:
    """Return the selection when a name is clicked: lanes from the last one to it, or it beside the others.

    One that is selected already is no longer, unless it is the end of a range.
    """
    lanes = [one.id for one in editor.project.lanes]
    chosen, last = editor.selection.lanes, editor.selection.lane
    if is_range and last in lanes:
        first, end = sorted((lanes.index(last), lanes.index(lane)))
        return lanes_selected([one for one in lanes if one in chosen or one in lanes[first : end + 1]], lane)
    changed = chosen ^ {lane}
    return lanes_selected([one for one in lanes if one in changed], lane if lane in changed else last)


def lane_in_fold(editor: Editor, layout: ScoreLayout, place: Place, x: float) -> LaneId | None:
    """Return the lane whose cue is nearest to an x; of several, the one after that which is selected."""
    near: dict[LaneId, float] = {}
    for lane in editor.cues.lanes:
        found = [abs(layout.x_at(place.stave, cue.hit.time) - x) for cue in lane.cues]
        if found:
            near[lane.lane.id] = round(min(found), 1)
    if not near:
        return None
    best = [lane for lane, distance in near.items() if distance == min(near.values())]
    selected = editor.selection.lane
    at = best.index(selected) + 1 if selected in best else 0
    return best[at % len(best)]
