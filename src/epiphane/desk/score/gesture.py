"""What the mouse holds in the score: each kind of drag, and what every move of the pointer does with it."""

from abc import ABC, abstractmethod
from collections.abc import Callable

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.control.steps import move_chosen_tap
from epiphane.desk.look import theme
from epiphane.desk.score.hit_testing import Band, CueGrip
from epiphane.desk.score.layout import SNAP_PIXELS, Place, ScoreLayout
from epiphane.desk.score.spectrum import BandGrip, dragged_band
from epiphane.document.envelope import PARTS_OF_A_BEAT, LengthUnit
from epiphane.document.ids import LaneId
from epiphane.document.project import Project, find
from epiphane.edits.keying.cues import (
    CueKey,
    change_cue_envelope,
    nudge_cues,
    override_of,
    set_cue_strength,
)
from epiphane.edits.keying.lanes import change_envelope
from epiphane.edits.keying.pulses import set_band
from epiphane.edits.keying.stack import move_row
from epiphane.edits.song.beats import move_beat
from epiphane.facts.grid import beat_lengths
from epiphane.keying.neighbours import nudge_within
from epiphane.keying.schedule import Cue
from epiphane.timing import frame_at
from epiphane.wording import tr

_N_FOLLOWING = 4


class Pointer(Struct, frozen=True):
    """Where the pointer has come to while something is held.

    Attributes
    ----------
    layout : where things are by now
    at, moved : the point of the score, and how far that is from where the button went down, px
    place : what lies at the point, None beside all staves
    is_shift : whether Shift is held
    is_free : whether nothing is to snap: Shift is held, and did not say what is dragged when it began
    """

    layout: ScoreLayout
    at: QPointF
    moved: QPointF
    place: Place | None
    is_shift: bool
    is_free: bool

    def reach(self, project: Project) -> int:
        """Return from how many frames off something snaps at the place; 0 where nothing is to."""
        if self.place is None or self.is_free:
            return 0
        return max(1, round(self.layout.frames_across(self.place, SNAP_PIXELS, project.rate)))


class Gesture(ABC):
    """Something that is held with the mouse in the score.

    What it changes is one step of undo, and is as it was where the drag is given up.

    Attributes
    ----------
    stays : bool
        Whether the playhead stays where it is when the button goes up again and nothing was dragged.
    pair : (int, int) or None
        The frames of the project on both sides of what is dragged, if they are to be seen.
    words : str
        What it comes to by now.
    """

    stays = False
    pair: tuple[int, int] | None = None
    words = ""

    def clicked_frame(self) -> int | None:
        """Return where the playhead goes where nothing was dragged; None for where the pointer is."""
        return None

    @abstractmethod
    def move(self, pointer: Pointer) -> None:
        """Do what the pointer means where it has come to."""

    def end(self) -> None:  # noqa: B027  (most have nothing to do)
        """Do what was shown only, now that the button goes up."""

    def paint(  # noqa: B027  (most show nothing beside what they change)
        self, painter: QPainter, layout: ScoreLayout, *, offset: int
    ) -> None:
        """Show over the score, scrolled by `offset` pixels, what it would do."""


class PlayheadDrag(Gesture):
    """The playhead, which goes where the pointer is."""

    stays = True

    def __init__(self, editor: Editor) -> None:
        self._editor = editor

    def move(self, pointer: Pointer) -> None:
        """Go to the pointer."""
        if pointer.place is not None:
            self._editor.go_to(frame_at(pointer.place.seconds, self._editor.project.rate))


class LoopDrag(Gesture):
    """A loop, from hit to hit between where the button went down and the pointer.

    `drawn` is called with its first frame and the one after its last.
    """

    def __init__(
        self, editor: Editor, snapping: Snapping, place: Place, drawn: Callable[[int, int], object]
    ) -> None:
        self._editor, self._snapping, self._place, self._drawn = editor, snapping, place, drawn

    def move(self, pointer: Pointer) -> None:
        """Let the loop go to the pointer."""
        if pointer.place is None:
            return
        project, reach = self._editor.project, pointer.reach(self._editor.project)
        ends = sorted(frame_at(one.seconds, project.rate) for one in (self._place, pointer.place))
        first, end = (self._snapping.snapped(project, one, reach) for one in ends)
        if end > first:
            self._drawn(first, end)


class RubberBand(Gesture):
    """A rectangle from where the button went down to the pointer; `select` is called with it."""

    def __init__(self, origin: QPointF, select: Callable[[ScoreLayout, Band], object]) -> None:
        self._origin, self._select = origin, select
        self._rectangle = QRectF()

    def move(self, pointer: Pointer) -> None:
        """Select what is in the rectangle."""
        self._rectangle = QRectF(self._origin, pointer.at).normalized()
        self._select(pointer.layout, Band(*self._rectangle.getCoords()))

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Show the rectangle."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DashLine))
        painter.drawRect(self._rectangle.translated(0, -offset))


class BandDrag(Gesture):
    """What is held of the band that is shown over the spectrum: its hits are found anew as it moves."""

    def __init__(self, editor: Editor, place: Place, grip: BandGrip) -> None:
        self._editor, self._place, self._grip = editor, place, grip

    def move(self, pointer: Pointer) -> None:
        """Bring it to the height of the pointer."""
        shown = self._editor.chosen.band
        if shown is None:
            return
        new = dragged_band(pointer.layout, self._place.stave, shown.band, self._grip, pointer.at.y())
        if new != shown.band:
            found = hits_in_band(shown.levels, new)
            self._editor.apply(
                lambda p: set_band(p, shown.pulse, found), tr("change of the band"), gesture="band"
            )


class BeatDrag(Gesture):
    """A beat; four neighbours on each side follow softly, with Shift none.

    It is dragged over the layout that it was taken from: bars keep their width however long they become,
    so the beat itself would run from the pointer.
    """

    stays = True

    def __init__(self, editor: Editor, layout: ScoreLayout, place: Place, number: int) -> None:
        self._editor, self._layout, self._place, self._number = editor, layout, place, number
        self._before = editor.project

    def move(self, pointer: Pointer) -> None:
        """Bring the beat to the pointer."""
        seconds = self._layout.seconds_at(self._place.stave, pointer.at.x())
        n_following = 0 if pointer.is_shift else _N_FOLLOWING
        before, number = self._before, self._number
        self._editor.apply(
            lambda _: move_beat(before, number, seconds, n_following=n_following),
            tr("move of a beat"),
            gesture="beat",
        )


class TapDrag(Gesture):
    """A tap of a tapped pulse."""

    def __init__(self, editor: Editor, place: Place) -> None:
        self._editor, self._place = editor, place

    def move(self, pointer: Pointer) -> None:
        """Bring the tap to the pointer."""
        seconds = pointer.layout.seconds_at(self._place.stave, pointer.at.x())
        move_chosen_tap(self._editor, seconds, gesture="tap")


class RowDrag(Gesture):
    """A row of the stack, by its name."""

    stays = True

    def __init__(self, editor: Editor, place: Place) -> None:
        self._editor, self._place = editor, place

    def move(self, pointer: Pointer) -> None:
        """Put the row where the pointer is among the rows of its stave."""
        row = self._place.lane or self._place.track
        if row is None or pointer.layout.is_folded:
            return
        to = pointer.layout.stack_index(self._place.stave, pointer.at.y())
        if self._editor.project.stack[to].id != row:
            self._editor.apply(lambda p: move_row(p, row, to=to), tr("order of rows"), gesture="rows")


class CueDrag(Gesture):
    """Selected cues: across for their place, up and down for their strength; the first direction tells."""

    def __init__(self, editor: Editor, place: Place, keys: frozenset[CueKey], cue: Cue) -> None:
        self._editor, self._place, self._keys, self._cue = editor, place, keys, cue
        first = override_of(editor.project, next(iter(keys)))
        self._strength = 1.0 if first.strength is None else first.strength
        self._n_frames = 0
        self._is_across: bool | None = None

    def clicked_frame(self) -> int:
        """Return the frame of the cue."""
        return self._cue.frame

    def move(self, pointer: Pointer) -> None:
        """Nudge the cues along with the pointer, or make them as much stronger as it has gone up."""
        if self._is_across is None:
            self._is_across = abs(pointer.moved.x()) >= abs(pointer.moved.y())
        if self._is_across:
            frames = pointer.layout.frames_across(self._place, pointer.moved.x(), self._editor.project.rate)
            self._nudge(round(frames))
        else:
            self._strengthen(-pointer.moved.y() / pointer.layout.lane_height)

    def _nudge(self, n_frames: int) -> None:
        step = nudge_within(self._editor.cues, self._keys, n_frames - self._n_frames)
        if step:
            self._n_frames += step  # what a neighbour keeps it from counts on the way back
            self._editor.apply(lambda p: nudge_cues(p, self._keys, step), "nudge", gesture="nudge")

    def _strengthen(self, change: float) -> None:
        strength = round(min(max(self._strength + change, 0.0), 2.0), 2)
        self._editor.apply(
            lambda p: set_cue_strength(p, self._keys, strength), tr("change of strength"), gesture="strength"
        )


class FootDrag(Gesture):
    """The foot of a cue: how long that side is in all cues of its lane, or, `is_alone`, in the held ones."""

    def __init__(
        self,
        editor: Editor,
        place: Place,
        lane: LaneId,
        keys: frozenset[CueKey],
        cue: Cue,
        grip: CueGrip,
        *,
        is_alone: bool,
    ) -> None:
        self._editor, self._place, self._lane, self._keys = editor, place, lane, keys
        self._cue, self._grip, self._is_alone = cue, grip, is_alone
        self._n_frames = 0

    def clicked_frame(self) -> int:
        """Return the frame of the cue."""
        return self._cue.frame

    @property
    def _is_lane_wide(self) -> bool:
        """Whether it changes all cues of the lane."""
        own = self._cue.override
        return not self._is_alone and (own is None or own.envelope is None)

    def move(self, pointer: Pointer) -> None:
        """Make the side as long as its foot is away: in frames, or in parts of a beat."""
        frames = pointer.layout.frames_across(self._place, pointer.moved.x(), self._editor.project.rate)
        if round(frames) == self._n_frames:
            return
        self._n_frames = round(frames)
        side, length, lane = self._grip.value, self._length(), self._lane
        is_own = self._is_alone or self._own_envelope() is not None

        def edit(project: Project) -> Project:
            if is_own:
                return change_cue_envelope(project, self._keys, **{side: length})
            return change_envelope(project, lane, **{side: length})

        self._editor.apply(edit, tr("change of {side}", side=side), gesture=side)
        self.words = self._told() if self._is_lane_wide else ""

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Frame the strips of the lane on all staves, where all its cues change."""
        if not self._is_lane_wide or self._lane not in layout.lanes:
            return
        painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        index = layout.lanes.index(self._lane)
        for stave in layout.staves:
            left, top = layout.left(stave), layout.lane_top(stave, index) - offset
            painter.drawRect(QRectF(left, top - 1, layout.right(stave) - left, layout.lane_height + 2))

    def _own_envelope(self) -> object | None:
        return override_of(self._editor.project, (self._lane, self._cue.hit.time)).envelope

    def _length(self) -> float:
        """Return how long the side is by now, in the unit of its envelope."""
        project, cue = self._editor.project, self._cue
        away = self._n_frames if self._grip is CueGrip.FALL else -self._n_frames
        before: float = getattr(cue.envelope, self._grip.value)
        length = max(0.0, before + away)
        lane = find(project.lanes, self._lane, "lane")
        envelope = override_of(project, (self._lane, cue.hit.time)).envelope or lane.envelope
        if envelope.unit is LengthUnit.BEATS:
            beat = float(beat_lengths(project, lane, np.array([cue.hit.time]))[0])
            return round(length / float(beat * project.rate) * PARTS_OF_A_BEAT) / PARTS_OF_A_BEAT
        return length

    def _told(self) -> str:
        """Return in words what the foot makes of how many cues."""
        found = self._editor.cues.lane(self._lane)
        if found is None:
            return ""
        envelope, side = found.lane.envelope, self._grip.value
        number = tr("all {count} cues of the lane; with Ctrl held, this one alone", count=len(found.cues))
        return f"{side.capitalize()} {getattr(envelope, side):g} {envelope.unit.value}, {number}"
