"""Hit testing on the score, without Qt: the shot, cue, tap or skipped hit at a point."""

from collections.abc import Sequence
from enum import Enum
from typing import NamedTuple, Protocol

from msgspec import Struct

from epiphane.desk.control.selection import Selection
from epiphane.desk.look.cue_outline import LEAST_FALL, LEAST_RISE, CueOutline
from epiphane.desk.score.layout import Place, ScoreLayout, Stave
from epiphane.document.ids import ItemId
from epiphane.document.lane import Lane, Trigger
from epiphane.document.project import Project
from epiphane.document.pulse import TappedSource
from epiphane.document.timeline import Item
from epiphane.edits.keying.cues import CueKey
from epiphane.facts.form import parts_of
from epiphane.facts.source_time import items_between, shot_at
from epiphane.keying.schedule import Cue, Schedule
from epiphane.keying.transition_cues import TransitionCue
from epiphane.timing import frame_at, frame_start

# The feet of a selected cue reach so far to both sides.
FOOT_GRAB = 7
HEAD_GRAB = 6
LEFT_OUT_GRAB = 6
_EDGE_GRAB, _DROP_GRAB = 5, 11
_BOW_GRAB, _LEAST_HALF_BOW = 5, 3.0


class Shown(Protocol):
    """What the score shows: a project, its cues, and what is selected of it."""

    @property
    def project(self) -> Project: ...

    @property
    def cues(self) -> Schedule: ...

    @property
    def selection(self) -> Selection: ...


class Band(NamedTuple):
    """A rectangle on the score, in pixels."""

    left: float
    top: float
    right: float
    bottom: float


class CueGrip(Enum):
    """What of a cue, or of what is drawn as one, is held: its body, or the foot on either side."""

    BODY = "body"
    RISE = "rise"
    FALL = "fall"


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


def cue_outline(layout: ScoreLayout, stave: Stave, cue: Cue, rate: float) -> CueOutline:
    """Return where a cue is painted; `rate` is in frames / second."""
    envelope = cue.envelope
    anchor = cue.frame / rate
    peak = layout.x_at(stave, anchor)
    frame_width = layout.pixels_per_second(stave, anchor) / rate

    def x(offset: float) -> float:
        return peak + offset * frame_width

    height = (layout.lane_height - 3) * min(cue.strength, 1.0)
    return CueOutline(
        x(-max(envelope.rise, LEAST_RISE)),
        x(0),
        x(envelope.hold),
        x(envelope.hold + max(envelope.fall, LEAST_FALL)),
        height,
    )


def cue_under(
    shown: Shown, layout: ScoreLayout, place: Place, lane: Lane, x: float
) -> tuple[Cue, CueGrip] | None:
    """Return the cue at an x of the row of a lane, and what of it would be dragged there.

    Only a selected cue has feet to be dragged, of which it shows the handles. Beside the line, where names
    stand, there is nothing but the foot of a selected one that is on this line.
    """
    is_beside = x < layout.left(place.stave)
    found = shown.cues.lane(lane.id)
    chosen = shown.selection.cues
    best: tuple[float, Cue, CueGrip] | None = None
    is_span = lane.trigger is Trigger.SPAN
    stave, rate = place.stave, float(shown.project.rate)
    near = () if found is None else found.cues if is_span else found.cues_near(stave.start, stave.end, rate)
    for cue in near:
        shape = cue_outline(layout, stave, cue, rate)
        is_chosen = (lane.id, cue.hit.time) in chosen
        if is_beside and not (is_chosen and cue.hit.time >= place.stave.start - 0.01):
            continue
        reach = FOOT_GRAB if is_chosen else 1
        if not shape.left - reach <= x <= shape.right + reach:
            continue
        grip = _grip(shape, x) if is_chosen else CueGrip.BODY
        distance = abs(x - _handle_of(shape, grip))
        if best is None or distance < best[0]:
            best = (distance, cue, grip)
    return None if best is None else best[1:]


def _handle_of(shape: CueOutline, grip: CueGrip) -> float:
    """Return the x at which the handle of a grip is drawn."""
    return {CueGrip.BODY: shape.peak, CueGrip.RISE: shape.left, CueGrip.FALL: shape.right}[grip]


def _grip(shape: CueOutline, x: float) -> CueGrip:
    """Return what of a selected cue lies at an x: a foot, as far as it leaves room for the body."""
    inside = min(FOOT_GRAB, (shape.right - shape.left) / 4)
    if x < shape.left + min(inside, (shape.peak - shape.left) / 2):
        return CueGrip.RISE
    return CueGrip.FALL if x > shape.right - inside else CueGrip.BODY


def tap_under(shown: Shown, layout: ScoreLayout, place: Place, x: float) -> float | None:
    """Return the time of the tap at an x on the line of a tapped pulse."""
    pulse = next((one for one in shown.project.pulses if one.id == place.pulse), None)
    if pulse is None or not isinstance(pulse.source, TappedSource):
        return None
    near = [
        (abs(layout.x_at(place.stave, hit.time) - x), hit.time)
        for hit in pulse.source.hits
        if place.stave.start - 0.01 <= hit.time < place.stave.end
    ]
    return min((one for one in near if one[0] <= HEAD_GRAB), default=(0.0, None))[1]


def skipped_hit_under(shown: Shown, layout: ScoreLayout, place: Place, lane: Lane, x: float) -> float | None:
    """Return the time of the hit at an x that a lane leaves out."""
    found = shown.cues.lane(lane.id)
    times = () if found is None else found.skipped_hits
    near = [
        (abs(layout.x_at(place.stave, time) - x), time)
        for time in times
        if place.stave.start - 0.01 <= time < place.stave.end
    ]
    return min((one for one in near if one[0] <= LEFT_OUT_GRAB), default=(0.0, None))[1]


def cues_within(shown: Shown, layout: ScoreLayout, band: Band) -> frozenset[CueKey]:
    """Return the cues whose peaks lie in a rectangle."""
    keys: set[CueKey] = set()
    for stave in layout.staves:
        bows = layout.bows_top(stave.top), layout.bows_top(stave.top) + layout.bows_height
        if layout.bows_height and bows[1] >= band.top and bows[0] <= band.bottom:
            keys.update(
                (one.lane, one.cue.hit.time)
                for one in transitions_on(shown, stave)
                if band.left <= bow_of(shown, layout, stave, one).peak <= band.right
            )
        for index, lane in enumerate(shown.cues.lanes):
            if lane.lane.id not in layout.shown_lanes:
                continue
            top = layout.lane_top(stave, index)
            if top + layout.lane_height < band.top or top > band.bottom:
                continue
            keys.update(
                (lane.lane.id, cue.hit.time)
                for cue in lane.cues_near(stave.start, stave.end, float(shown.project.rate))
                if stave.start <= cue.hit.time < stave.end
                and band.left <= layout.x_at(stave, cue.hit.time) <= band.right
            )
    return frozenset(keys)


def shots_within(project: Project, layout: ScoreLayout, band: Band) -> frozenset[ItemId]:
    """Return the shots that a rectangle touches in the strips of shots."""
    found: set[ItemId] = set()
    for stave in layout.staves:
        top = layout.shots_top(stave.top)
        if top + layout.heights.shots < band.top or top > band.bottom:
            continue
        first, end = (frame_at(layout.seconds_at(stave, x), project.rate) for x in (band.left, band.right))
        found.update(shot.id for shot in items_between(project.shots, first, end) if shot.end > first)
    return frozenset(found)


class Bow(Struct, frozen=True):
    """Where a transition is painted: its ends and its peak, in pixels across."""

    left: float
    peak: float
    right: float


def transitions_on(shown: Shown, stave: Stave) -> tuple[TransitionCue, ...]:
    """Return the transitions that are seen on a stave."""
    rate = shown.project.rate
    near = shown.cues.transitions_between(frame_at(stave.start, rate), frame_at(stave.end, rate) + 1)
    return tuple(
        one
        for one in near
        if frame_start(one.end, rate) > stave.start and frame_start(one.first, rate) < stave.end
    )


def bow_of(shown: Shown, layout: ScoreLayout, stave: Stave, one: TransitionCue) -> Bow:
    """Return where a transition lies on a stave."""
    rate = shown.project.rate
    left, peak, right = (
        layout.x_at(stave, frame_start(frame, rate)) for frame in (one.first, one.peak, one.end)
    )
    return Bow(min(left, peak - _LEAST_HALF_BOW), peak, max(right, peak + _LEAST_HALF_BOW))


def transition_under(
    shown: Shown, layout: ScoreLayout, stave: Stave, x: float
) -> tuple[TransitionCue, CueGrip] | None:
    """Return the transition at an x of a stave, and what of it would be dragged there."""
    for one in transitions_on(shown, stave):
        bow = bow_of(shown, layout, stave, one)
        if bow.left - _BOW_GRAB <= x <= bow.right + _BOW_GRAB:
            inside = min(_BOW_GRAB, (bow.right - bow.left) / 6)
            if x < bow.left + inside:
                return one, CueGrip.RISE
            return one, CueGrip.FALL if x > bow.right - inside else CueGrip.BODY
    return None
