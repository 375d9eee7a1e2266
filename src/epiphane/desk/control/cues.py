"""Cue commands: step, select, toggle, scale, nudge, copy bars."""

from collections.abc import Callable

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import CuesSelection
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Override
from epiphane.document.project import Project
from epiphane.edits.history import History
from epiphane.edits.keying.cues import (
    CueKey,
    CueLook,
    lay_look,
    lay_overrides,
    look_of,
    nudge_cues,
    override_of,
    reset_cues,
    scale_cues,
    take_cues,
    toggle_cues,
)
from epiphane.keying.copying import CopiedBars, copied_bars, pasted_bars
from epiphane.keying.neighbours import nudge_within
from epiphane.keying.schedule import LaneSchedule
from epiphane.lane_kinds import alike
from epiphane.timing import frame_start
from epiphane.wording import plural, tr

_STRENGTH_STEP = 1.15
_AT_THE_PLAYHEAD = 0.08
"""How far from it, in seconds, a hit may be that is taken at the playhead."""


class CueDesk(QObject):
    """Cues of the open project."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._copied: tuple[History, CopiedBars] | None = None
        self._look: CueLook | None = None

    def step(self, direction: int) -> None:
        """Select the next (1) or last (-1) cue of the lane, and go to it."""
        found = self._lane()
        if found is None or not found.cues:
            return
        chosen = self._editor.chosen.cues
        here = chosen[-1 if direction > 0 else 0].frame if chosen else self._editor.playhead - direction
        later = [cue for cue in found.cues if (cue.frame - here) * direction > 0]
        if later:
            cue = later[0 if direction > 0 else -1]
            self._editor.select_cues(frozenset({(found.lane.id, cue.hit.time)}), lane=found.lane.id)
            self._editor.go_to(cue.frame)

    def select_all(self) -> None:
        """Select every cue of the lane."""
        found = self._lane()
        if found is not None:
            keys = frozenset((found.lane.id, cue.hit.time) for cue in found.cues)
            self._editor.select_cues(keys, lane=found.lane.id)

    def change(self, edit: Callable[[Project, frozenset[CueKey]], Project], text: str) -> None:
        """Do an edit of the selected cues."""
        keys = self._editor.selection.cues
        if keys:
            self._editor.apply(lambda p: edit(p, keys), text)

    def toggle(self) -> None:
        """Switch the cues off, or on."""
        self.change(toggle_cues, tr("turning cues off or on"))

    def reset(self) -> None:
        """Have the cues as their lane has them."""
        self.change(reset_cues, tr("reset of cues"))

    def scale(self, direction: int) -> None:
        """Make the cues a step stronger (1) or weaker (-1)."""
        factor = _STRENGTH_STEP**direction
        self.change(lambda p, keys: scale_cues(p, keys, factor), tr("change of strength"))

    def nudge(self, n_frames: int) -> None:
        """Move the cues by frames."""
        step = nudge_within(self._editor.cues, self._editor.selection.cues, n_frames)
        if step:
            self.change(lambda p, keys: nudge_cues(p, keys, step), "nudge")
        elif self.are_selected:
            self._editor.said.emit(tr("The cue is beside its neighbour: none passes another one."), False)

    def take_here(self) -> None:
        """Have the hit at the playhead fired that the lane leaves out."""
        found = self._lane()
        here = frame_start(self._editor.playhead, self._editor.project.rate)
        times = () if found is None else found.skipped_hits
        nearest = min(times, key=lambda time: abs(time - here), default=None)
        if found is None or nearest is None or abs(nearest - here) > _AT_THE_PLAYHEAD:
            self._editor.said.emit(tr("there is no hit at the playhead that this lane leaves out."), False)
            return
        self.take(found.lane.id, nearest)

    def take(self, lane: LaneId, hit: float) -> None:
        """Have a hit fired that a lane leaves out, and select its cue."""
        if self._editor.apply(lambda p: take_cues(p, [(lane, hit)]), tr("cue by hand")):
            self._editor.select_cues(frozenset({(lane, hit)}), lane=lane)

    def copy_look(self) -> None:
        """Keep what the first of the selected cues is: values, shape, effect, clip and sound."""
        found = self._first()
        if found is None:
            self._editor.said.emit(tr("Select the cue that others are to be like"), False)
            return
        self._look = look_of(*found)
        self._editor.said.emit(
            tr("Copied what this cue is; select others and paste it (Ctrl + Alt + V)"), False
        )

    def paste_look(self) -> None:
        """Have the selected cues be as the one that was copied."""
        look = self._look
        if look is None:
            self._editor.said.emit(
                tr("No cue's look is copied: select one and copy it (Ctrl + Alt + C)"), False
            )
            return
        self.change(lambda p, keys: lay_look(p, keys, look, _may_stand_in), tr("look of cues"))

    def spread_look(self) -> None:
        """Have all other cues of its lane be as the first of the selected cues."""
        found = self._first()
        if found is None:
            return
        lane, _ = found
        cues, look = self._editor.cues.lane(lane.id), look_of(*found)
        keys = frozenset((lane.id, cue.hit.time) for cue in (() if cues is None else cues.cues))
        self._editor.apply(lambda p: lay_look(p, keys, look, _may_stand_in), tr("look of all cues"))

    def _first(self) -> tuple[Lane, Override] | None:
        """Return the first of the selected cues: its lane, and what is changed of it."""
        keys = sorted(self._editor.selection.cues, key=lambda key: key[1])
        lane = next((one for one in self._editor.project.lanes if keys and one.id == keys[0][0]), None)
        return None if lane is None else (lane, override_of(self._editor.project, keys[0]))

    def copy_bars(self) -> None:
        """Keep what the lanes of the selected cues do in the bars of those cues."""
        found = copied_bars(self._editor.cues, self._editor.selection.cues)
        if found is None:
            self._editor.said.emit(
                tr("select some cues: what their lanes do in their bars is copied."), False
            )
            return
        self._copied = self._editor.history, found
        bars = plural(found.n_bars, "a bar", "{} bars")
        n_lanes = len(found.lanes)
        of = plural(n_lanes, "one lane", "{} lanes")
        text = tr("copied {bars} of {of}; go to another bar and paste it there (Ctrl + V).", bars=bars, of=of)
        self._editor.said.emit(text, False)

    def paste_bars(self) -> None:
        """Have the bars from that of the playhead on as those that were copied."""
        if self._copied is None or self._copied[0] is not self._editor.history:  # of another project
            self._editor.said.emit(tr("nothing is copied: select some cues and copy them (Ctrl + C)."), False)
            return
        # A bar line within the frame that is shown is meant.
        here = frame_start(self._editor.playhead + 1, self._editor.project.rate) - 1e-6
        pasted = pasted_bars(self._editor.project, self._copied[1], here)
        self._editor.apply(lambda p: lay_overrides(p, pasted.overrides), tr("copy of bars"))
        if pasted.n_missing:
            there = plural(pasted.n_missing, "1 cue has", "{} cues have")
            self._editor.said.emit(tr("{there} no hit of the pulse to fire on here.", there=there), False)

    def _lane(self) -> LaneSchedule | None:
        """Return the selected lane, or the first."""
        lane = self._editor.chosen.lane or next(iter(self._editor.project.lanes), None)
        return None if lane is None else self._editor.cues.lane(lane.id)

    @property
    def are_selected(self) -> bool:
        """Whether some cues are."""
        return isinstance(self._editor.selection, CuesSelection)


def _may_stand_in(one: str, other: str) -> bool:
    return alike(one) == alike(other)
