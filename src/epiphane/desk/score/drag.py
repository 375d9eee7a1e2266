"""What a drag on the score changes: the strength or place of cues, the sides of an envelope."""

from enum import Enum
from typing import Protocol

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.control.editor import Editor
from epiphane.desk.score.layout import Place, ScoreLayout
from epiphane.desk.score.spectrum import BandGrip, dragged_band
from epiphane.document.envelope import PARTS_OF_A_BEAT, LengthUnit
from epiphane.document.ids import ItemId, LaneId
from epiphane.document.project import Project, find
from epiphane.edits.beats import move_beat
from epiphane.edits.cues import (
    CueKey,
    change_cue_envelope,
    nudge_cues,
    override_of,
    set_cue_strength,
)
from epiphane.edits.lanes import change_envelope
from epiphane.edits.pulses import set_band
from epiphane.edits.stack import move_row
from epiphane.facts.grid import beat_lengths
from epiphane.keying.neighbours import nudge_within
from epiphane.keying.schedule import Cue

_N_FOLLOWING = 4


class Grip(Enum):
    """What of the score is being dragged."""

    PLAYHEAD = "playhead"
    LOOP = "loop"
    RUBBER = "rubber band"
    FREQUENCIES = "frequencies"
    BEAT = "beat"
    TAP = "tap"
    ROW = "row"
    SHOT = "shot"
    CUE = "cue"
    STRENGTH = "strength"
    NUDGE = "nudge"
    RISE = "rise"
    FALL = "fall"


class HeldThing(Protocol):
    """What of the strips of shots and tracks is held, and what comes of it."""

    @property
    def pair(self) -> tuple[int, int] | None:
        """The frames of the project on both sides of what is dragged, if they are to be seen."""
        ...

    @property
    def words(self) -> str:
        """What it comes to by now."""
        ...

    def move(self, layout: ScoreLayout, place: Place, *, is_free: bool) -> None:
        """Bring it to a place; where it `is_free`, nothing snaps."""

    def end(self) -> None:
        """Do what was shown only."""

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Show where it would go."""


class Drag(Struct):
    """A drag in progress.

    A beat is dragged over the layout that it was taken from: bars keep their width however long they
    become, so the beat itself would run from the pointer. Where it `is_alone`, a foot is that of the held
    cues, not of their lane. `keys` and `shots` are what a rubber band adds to.
    """

    grip: Grip
    origin: QPointF
    place: Place
    keys: frozenset[CueKey] = frozenset()
    start_value: float = 0.0
    has_start_value: bool = False
    last_frames: int = 0
    has_moved: bool = False
    band: BandGrip | None = None
    beat: int | None = None
    layout: ScoreLayout | None = None
    cue: Cue | None = None
    is_alone: bool = False
    before: Project | None = None
    shot: HeldThing | None = None
    shots: frozenset[ItemId] = frozenset()

    @property
    def is_lane_wide(self) -> bool:
        """Whether it changes all cues of a lane."""
        own = None if self.cue is None else self.cue.override
        is_foot = self.grip in (Grip.RISE, Grip.FALL)
        return is_foot and not self.is_alone and (own is None or own.envelope is None)


def drag_strength(editor: Editor, drag: Drag, change: float) -> None:
    """Set the strength of the held cues: that of the first when the drag began, and a change."""
    if not drag.has_start_value:
        first = override_of(editor.project, next(iter(drag.keys)))
        drag.start_value = 1.0 if first.strength is None else first.strength
        drag.has_start_value = True
    strength = round(min(max(drag.start_value + change, 0.0), 2.0), 2)
    editor.apply(lambda p: set_cue_strength(p, drag.keys, strength), "change of strength", gesture="strength")


def drag_frames(editor: Editor, drag: Drag, n_frames: int) -> None:
    """Nudge the held cues, or move a side of their lane's envelope, by frames since the drag began."""
    lane = drag.place.lane
    if n_frames == drag.last_frames or lane is None:
        return
    before = drag.last_frames
    step = n_frames - before
    drag.last_frames = n_frames
    if drag.grip is Grip.NUDGE:
        step = nudge_within(editor.cues, drag.keys, step)
        drag.last_frames = before + step  # what a neighbour keeps it from counts on the way back
        editor.apply(lambda p: nudge_cues(p, drag.keys, step), "nudge", gesture="nudge")
    elif drag.cue is not None:
        _drag_foot(editor, drag, drag.cue, lane, n_frames)


def _drag_foot(editor: Editor, drag: Drag, cue: Cue, lane_id: LaneId, n_frames: int) -> None:
    """Make a side of the held cue, and of its lane, as long as its foot is away: in frames, or in beats."""
    side = drag.grip.value
    length = max(0.0, getattr(cue.envelope, side) + (n_frames if drag.grip is Grip.FALL else -n_frames))
    project = editor.project
    lane = find(project.lanes, lane_id, "lane")
    own = override_of(project, (lane_id, cue.hit.time)).envelope
    if (own or lane.envelope).unit is LengthUnit.BEATS:
        beat = float(beat_lengths(project, lane, np.array([cue.hit.time]))[0])
        length = round(length / float(beat * project.rate) * PARTS_OF_A_BEAT) / PARTS_OF_A_BEAT

    def edit(project: Project) -> Project:
        if drag.is_alone or own is not None:
            return change_cue_envelope(project, drag.keys, **{side: length})
        return change_envelope(project, lane_id, **{side: length})

    editor.apply(edit, f"change of {side}", gesture=side)


def drag_row(editor: Editor, drag: Drag, layout: ScoreLayout, y: float) -> None:
    """Put the held row where the pointer is among the rows of the stack on its stave."""
    row = drag.place.lane or drag.place.track
    if row is None or layout.is_folded:
        return
    to = layout.stack_index(drag.place.stave, y)
    if editor.project.stack[to].id != row:
        editor.apply(lambda p: move_row(p, row, to=to), "order of rows", gesture="rows")


def drag_band(editor: Editor, drag: Drag, layout: ScoreLayout, y: float) -> None:
    """Move what is held of the shown band to a height of the sound strip, and find its hits anew."""
    shown = editor.shown_band
    if shown is None or drag.band is None:
        return
    new = dragged_band(layout, drag.place.stave, shown.band, drag.band, y)
    if new != shown.band:
        found = hits_in_band(shown.levels, new)
        editor.apply(lambda p: set_band(p, shown.pulse, found), "change of the band", gesture="band")


def drag_beat(editor: Editor, drag: Drag, seconds: float, *, alone: bool) -> None:
    """Move the held beat to an instant; four neighbours on each side follow softly, or none."""
    number, before = drag.beat, drag.before
    if number is not None and before is not None:
        n_following = 0 if alone else _N_FOLLOWING
        editor.apply(
            lambda _: move_beat(before, number, seconds, n_following=n_following),
            "move of a beat",
            gesture="beat",
        )
