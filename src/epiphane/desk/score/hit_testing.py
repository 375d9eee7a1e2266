"""Hit testing on the score: the shot, cue, tap or skipped hit at a point."""

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF

from epiphane.desk.control.editor import Editor
from epiphane.desk.look.cue_path import CueOutline
from epiphane.desk.score.gesture import CueGrip
from epiphane.desk.score.layout import Place, ScoreLayout, Stave
from epiphane.desk.score.paint import cue_outline
from epiphane.document.ids import ItemId
from epiphane.document.lane import Lane, Trigger
from epiphane.document.project import Project
from epiphane.document.pulse import TappedSource
from epiphane.document.timeline import Item
from epiphane.edits.keying.cues import CueKey
from epiphane.facts.form import parts_of
from epiphane.facts.source_time import items_between, shot_at
from epiphane.keying.schedule import Cue
from epiphane.keying.transition_cues import TransitionCue
from epiphane.timing import frame_at, frame_start

# The feet of a selected cue reach so far to both sides.
FOOT_GRAB = 7
HEAD_GRAB = 6
LEFT_OUT_GRAB = 6
_EDGE_GRAB, _DROP_GRAB = 5, 11
_BOW_GRAB, _LEAST_HALF_BOW = 5, 3.0


class PartGrip(Struct, frozen=True):
    """What of the line of parts lies under the pointer: the start of a part, or a drop, by its number."""

    part: int | None = None
    drop: int | None = None


def part_grip(project: Project, layout: ScoreLayout, stave: Stave, x: float) -> PartGrip | None:
    """Return what would be dragged at an x of the line of parts of a stave, or None."""
    song = project.song
    if song is None:
        return None
    for number, drop in enumerate(song.drops):
        left = layout.x_at(stave, drop) if stave.start - 1e-3 <= drop < stave.end else None
        if left is not None and left + 1 < x <= left + _DROP_GRAB:  # beside the edge of a part
            return PartGrip(drop=number)
    for number, part in enumerate(parts_of(song)):
        is_here = number > 0 and stave.start - 1e-3 <= part.start < stave.end
        if is_here and abs(layout.x_at(stave, part.start) - x) <= _EDGE_GRAB:
            return PartGrip(part=number)
    return None


def shot_under(project: Project, seconds: float) -> Item | None:
    """Return the shot at an instant."""
    return shot_at(project, frame_at(seconds, project.rate))


def shots_near(project: Project, layout: ScoreLayout, stave: Stave, x: float, reach: float) -> Sequence[Item]:
    """Return the shots within so many pixels of an x of a stave, and those they touch."""
    first, end = (frame_at(layout.seconds_at(stave, x + by), project.rate) for by in (-reach, reach))
    return items_between(project.shots, first - 1, end + 1)


def cue_under(
    editor: Editor, layout: ScoreLayout, place: Place, lane: Lane, at: QPointF
) -> tuple[Cue, CueGrip] | None:
    """Return the cue at a point and what of it would be dragged there.

    Only a selected cue has feet to be dragged, of which it shows the handles. Beside the line, where names
    stand, there is nothing but the foot of a selected one that is on this line.
    """
    is_beside = at.x() < layout.left(place.stave)
    found = editor.cues.lane(lane.id)
    chosen = editor.selection.cues
    best: tuple[float, Cue, CueGrip] | None = None
    is_span = lane.trigger is Trigger.SPAN
    stave, rate = place.stave, float(editor.project.rate)
    near = () if found is None else found.cues if is_span else found.cues_near(stave.start, stave.end, rate)
    for cue in near:
        shape = cue_outline(layout, stave, cue, rate)
        is_chosen = (lane.id, cue.hit.time) in chosen
        if is_beside and not (is_chosen and cue.hit.time >= place.stave.start - 0.01):
            continue
        reach = FOOT_GRAB if is_chosen else 1
        if not shape.left - reach <= at.x() <= shape.right + reach:
            continue
        grip = _grip(shape, at.x()) if is_chosen else CueGrip.BODY
        distance = abs(at.x() - shape.peak)
        if best is None or distance < best[0]:
            best = (distance, cue, grip)
    return None if best is None else best[1:]


def _grip(shape: CueOutline, x: float) -> CueGrip:
    """Return what of a selected cue lies at an x: a foot, as far as it leaves room for the body."""
    inside = min(FOOT_GRAB, (shape.right - shape.left) / 4)
    if x < shape.left + min(inside, (shape.peak - shape.left) / 2):
        return CueGrip.RISE
    return CueGrip.FALL if x > shape.right - inside else CueGrip.BODY


def tap_under(editor: Editor, layout: ScoreLayout, place: Place, x: float) -> float | None:
    """Return the time of the tap at an x on the line of a tapped pulse."""
    pulse = next((one for one in editor.project.pulses if one.id == place.pulse), None)
    if pulse is None or not isinstance(pulse.source, TappedSource):
        return None
    near = [
        (abs(layout.x_at(place.stave, hit.time) - x), hit.time)
        for hit in pulse.source.hits
        if place.stave.start - 0.01 <= hit.time < place.stave.end
    ]
    return min((one for one in near if one[0] <= HEAD_GRAB), default=(0.0, None))[1]


def skipped_hit_under(
    editor: Editor, layout: ScoreLayout, place: Place, lane: Lane, x: float
) -> float | None:
    """Return the time of the hit at an x that a lane leaves out."""
    found = editor.cues.lane(lane.id)
    times = () if found is None else found.skipped_hits
    near = [
        (abs(layout.x_at(place.stave, time) - x), time)
        for time in times
        if place.stave.start - 0.01 <= time < place.stave.end
    ]
    return min((one for one in near if one[0] <= LEFT_OUT_GRAB), default=(0.0, None))[1]


def cues_within(editor: Editor, layout: ScoreLayout, band: QRectF) -> frozenset[CueKey]:
    """Return the cues whose peaks lie in a rectangle."""
    keys: set[CueKey] = set()
    for stave in layout.staves:
        bows = layout.bows_top(stave.top), layout.bows_top(stave.top) + layout.bows_height
        if layout.bows_height and bows[1] >= band.top() and bows[0] <= band.bottom():
            keys.update(
                (one.lane, one.cue.hit.time)
                for one in transitions_on(editor, stave)
                if band.left() <= bow_of(editor, layout, stave, one).peak <= band.right()
            )
        for index, lane in enumerate(editor.cues.lanes):
            if lane.lane.id not in layout.shown_lanes:
                continue
            top = layout.lane_top(stave, index)
            if top + layout.lane_height < band.top() or top > band.bottom():
                continue
            keys.update(
                (lane.lane.id, cue.hit.time)
                for cue in lane.cues_near(stave.start, stave.end, float(editor.project.rate))
                if stave.start <= cue.hit.time < stave.end
                and band.left() <= layout.x_at(stave, cue.hit.time) <= band.right()
            )
    return frozenset(keys)


def shots_within(project: Project, layout: ScoreLayout, band: QRectF) -> frozenset[ItemId]:
    """Return the shots that a rectangle touches in the strips of shots."""
    found: set[ItemId] = set()
    for stave in layout.staves:
        top = layout.shots_top(stave.top)
        if top + layout.heights.shots < band.top() or top > band.bottom():
            continue
        first, end = (
            frame_at(layout.seconds_at(stave, x), project.rate) for x in (band.left(), band.right())
        )
        found.update(shot.id for shot in items_between(project.shots, first, end) if shot.end > first)
    return frozenset(found)


class Bow(Struct, frozen=True):
    """Where a transition is painted: its ends and its peak, in pixels across."""

    left: float
    peak: float
    right: float


def transitions_on(editor: Editor, stave: Stave) -> tuple[TransitionCue, ...]:
    """Return the transitions that are seen on a stave."""
    rate = editor.project.rate
    near = editor.cues.transitions_between(frame_at(stave.start, rate), frame_at(stave.end, rate) + 1)
    return tuple(
        one
        for one in near
        if frame_start(one.end, rate) > stave.start and frame_start(one.first, rate) < stave.end
    )


def bow_of(editor: Editor, layout: ScoreLayout, stave: Stave, one: TransitionCue) -> Bow:
    """Return where a transition lies on a stave."""
    rate = editor.project.rate
    left, peak, right = (
        layout.x_at(stave, frame_start(frame, rate)) for frame in (one.first, one.peak, one.end)
    )
    return Bow(min(left, peak - _LEAST_HALF_BOW), peak, max(right, peak + _LEAST_HALF_BOW))


def transition_under(
    editor: Editor, layout: ScoreLayout, stave: Stave, x: float
) -> tuple[TransitionCue, CueGrip] | None:
    """Return the transition at an x of a stave, and what of it would be dragged there."""
    for one in transitions_on(editor, stave):
        bow = bow_of(editor, layout, stave, one)
        if bow.left - _BOW_GRAB <= x <= bow.right + _BOW_GRAB:
            inside = min(_BOW_GRAB, (bow.right - bow.left) / 6)
            if x < bow.left + inside:
                return one, CueGrip.RISE
            return one, CueGrip.FALL if x > bow.right - inside else CueGrip.BODY
    return None
