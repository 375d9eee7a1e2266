"""Lane commands: add, step, mute, solo, duplicate, reorder, delete."""

from msgspec import Struct
from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import LaneSelection, lanes_selected
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.edits.lanes import (
    add_lane,
    add_lane_on_hit,
    change_lanes,
    copy_lane,
    move_lane,
    remove_lane,
    step_lanes,
)
from epiphane.edits.pulses import ensure_pulse
from epiphane.effects.declare import EFFECTS
from epiphane.errors import EditError
from epiphane.facts.hits import stand_in_remark


class Target(Struct, frozen=True):
    """Where an effect is dropped: what is to fire its lane, and the single hit, seconds, if it is one.

    A `unit` is that of a drum or the beats, of which there may be no pulse yet. On a `lane` alone, the
    effect fires on the same hits as that one.
    """

    pulse: PulseId | None = None
    unit: PulseUnit | None = None
    lane: LaneId | None = None
    hit: float | None = None


class LaneDesk(QObject):
    """Lanes of the open project."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    def add(self, key: str, target: Target | None = None) -> None:
        """Make a lane of an effect where it was dropped, or on every beat; select it."""
        effect = EFFECTS.named(key)
        target = target or Target()
        if target.lane is not None and target.hit is None:
            self._copy(target.lane, effect.key)
            return

        def edit(project: Project) -> Project:
            pulse = target.pulse
            if pulse is None:
                if project.song is None or not project.song.beats:
                    raise EditError("an effect fires on the beats of a song: open a song first")
                project, pulse = ensure_pulse(project, target.unit or PulseUnit.BEAT)
            if target.hit is None:
                return add_lane(project, effect.key, pulse)
            project = add_lane_on_hit(project, effect.key, pulse, target.hit)
            if target.lane is None:
                return project
            below = [lane.id for lane in project.lanes].index(target.lane) + 1
            return move_lane(project, project.lanes[-1].id, to=below)

        made = LaneId(max(self._editor.project.next_id, 0))
        if self._editor.apply(edit, f"lane of {effect.label.lower()}"):
            lanes = [lane.id for lane in self._editor.project.lanes if lane.id >= made]
            self._editor.select(LaneSelection(lanes[-1]))
            if target.unit is not None and stand_in_remark(self._editor.project):
                self._editor.said.emit(stand_in_remark(self._editor.project), False)

    def copy(self) -> None:
        """Put a copy of the selected lane below it, and select that."""
        lane = self._editor.selected_lane()
        if lane is not None:
            self._copy(lane.id)

    def _copy(self, lane: LaneId, effect: str | None = None) -> None:
        made = LaneId(self._editor.project.next_id)
        if self._editor.apply(lambda p: copy_lane(p, lane, effect=effect), "copy of a lane"):
            self._editor.select(LaneSelection(made))

    def step(self, direction: int, *, keeps: bool = False) -> None:
        """Select the next (1) or previous (-1) lane; where it `keeps`, beside those that are selected."""
        lanes = [lane.id for lane in self._editor.project.lanes]
        if not lanes:
            return
        selection = self._editor.selection
        at = lanes.index(selection.lane) + direction if selection.lane in lanes else 0
        if not keeps:
            self._editor.select(LaneSelection(lanes[at % len(lanes)]))
        elif 0 <= at < len(lanes):
            chosen = selection.lanes | {lanes[at]}
            self._editor.select(lanes_selected([one for one in lanes if one in chosen], lanes[at]))

    def select_all(self) -> None:
        """Select every lane."""
        lanes = [lane.id for lane in self._editor.project.lanes]
        self._editor.select(lanes_selected(lanes, self._editor.selection.lane))

    def mute(self) -> None:
        """Let the selected lanes fire nothing, or fire again if all are silent."""
        lanes = self._editor.selected_lanes()
        if lanes:
            muted = not all(lane.muted for lane in lanes)
            self._editor.apply(lambda p: change_lanes(p, [one.id for one in lanes], muted=muted), "mute")

    def solo(self) -> None:
        """Let only the selected lanes fire, and others that are solo, or all again."""
        lanes = self._editor.selected_lanes()
        if lanes:
            solo = not all(lane.is_solo for lane in lanes)
            self._editor.apply(lambda p: change_lanes(p, [one.id for one in lanes], is_solo=solo), "solo")

    def move(self, direction: int) -> None:
        """Put the selected lanes a place up (-1) or down (1)."""
        chosen = self._editor.selection.lanes
        if chosen:
            self._editor.apply(lambda p: step_lanes(p, chosen, direction), "order of lanes")

    def remove(self) -> None:
        """Remove the selected lanes."""
        chosen = self._editor.selection.lanes

        def edit(project: Project) -> Project:
            for lane in chosen:
                project = remove_lane(project, lane)
            return project

        if chosen:
            self._editor.apply(edit, "removal of lanes" if len(chosen) > 1 else "removal of lane")
