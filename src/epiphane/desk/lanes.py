"""What is done with lanes as a whole: made, gone through, silenced, put in order."""

from PyQt6.QtCore import QObject

from epiphane.desk.editor import Editor
from epiphane.desk.selection import Kind, Selection
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.model import Project, PulseUnit
from epiphane.edits.lanes import add_lane, change_lane, copy_lane, move_lane
from epiphane.edits.pulses import ensure_pulse
from epiphane.effects.registry import effect_named
from epiphane.errors import EditError


class LaneDesk(QObject):
    """Lanes of the open project."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    def add(self, key: str, chosen: PulseId | None = None, like: LaneId | None = None) -> None:
        """Make a lane of an effect on the hits of another lane, of a pulse, or every beat; select it."""
        effect = effect_named(key)
        if like is not None:
            self._copy(like, effect.key)
            return

        def edit(project: Project) -> Project:
            if chosen is not None:
                return add_lane(project, effect.key, chosen)
            if project.song is None or not project.song.beats:
                raise EditError("an effect fires on the beats of a song: open a song first")
            project, pulse = ensure_pulse(project, PulseUnit.BEAT)
            return add_lane(project, effect.key, pulse)

        if self._editor.apply(edit, f"lane of {effect.label.lower()}"):
            self._editor.select(Selection(Kind.LANE, lane=self._editor.project.lanes[-1].id))

    def copy(self) -> None:
        """Put a copy of the lane below it, and select that."""
        lane = self._editor.selected_lane()
        if lane is not None:
            self._copy(lane.id)

    def _copy(self, lane: LaneId, effect: str | None = None) -> None:
        made = LaneId(self._editor.project.next_id)
        if self._editor.apply(lambda p: copy_lane(p, lane, effect=effect), "copy of a lane"):
            self._editor.select(Selection(Kind.LANE, lane=made))

    def step(self, direction: int) -> None:
        """Select the next (1) or last (-1) lane."""
        lanes = [lane.id for lane in self._editor.project.lanes]
        chosen = self._editor.selection.lane
        if lanes:
            at = lanes.index(chosen) + direction if chosen in lanes else 0
            self._editor.select(Selection(Kind.LANE, lane=lanes[at % len(lanes)]))

    def mute(self) -> None:
        """Let the lane fire nothing, or fire again."""
        lane = self._editor.selected_lane()
        if lane is not None:
            self._editor.apply(lambda p: change_lane(p, lane.id, muted=not lane.muted), "mute")

    def solo(self) -> None:
        """Let only this lane fire, and others that are solo, or all again."""
        lane = self._editor.selected_lane()
        if lane is not None:
            self._editor.apply(lambda p: change_lane(p, lane.id, is_solo=not lane.is_solo), "solo")

    def move(self, direction: int) -> None:
        """Put the lane a place up (-1) or down (1)."""
        lane = self._editor.selected_lane()
        if lane is not None:
            to = self._editor.project.lanes.index(lane) + direction
            self._editor.apply(lambda p: move_lane(p, lane.id, to=to), "order of lanes")
