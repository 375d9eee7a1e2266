"""The bench of several lanes: what is changed is changed in all of them."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.pick import PickRows
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.bench.shape import ShapeRows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import LaneDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    RangeBar,
    button,
    choice_field,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.look.lanes import lane_label
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Override, Span
from epiphane.document.project import Project
from epiphane.edits.lanes import change_lanes, shape_lanes, shift_lanes
from epiphane.facts.form import part_at, parts_of
from epiphane.facts.grid import usual_beat_frames
from epiphane.timing import frame_start

_MOST_NAMES = 8


class LanesBench(BenchPage):
    """All selected lanes. Shapes and depth become the same in all, a shift is added to what each has."""

    def __init__(self, editor: Editor, lanes: LaneDesk) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self._names = label("")
        self._names.setWordWrap(True)
        self.shape = ShapeRows()
        self.shape.changed.connect(self._set_shape)
        self.shape.released.connect(editor.end_gesture)
        for widget in (
            self._buttons(lanes),
            self._names,
            self._fired_row(),
            self._span_row(),
            self.shape,
            rule(),
            self._depth_row(),
            self._shift_row(),
        ):
            box.addWidget(widget)
        self._box = box
        self.pick: PickRows | None = None
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the lanes as they are now; what they are to share is that of the one selected last."""
        lanes, last = self._editor.selected_lanes(), self._editor.selected_lane()
        if last is None:
            return
        names = [lane_label(lane) for lane in lanes]
        more = f" and {len(names) - _MOST_NAMES} more" if len(names) > _MOST_NAMES else ""
        self._names.setText(", ".join(names[:_MOST_NAMES]) + more)
        pulses = [(str(one.id), one.name) for one in self._editor.project.pulses]
        show_options(self._pulse, pulses)
        show_choice(self._pulse, str(last.pulse))
        self._show_pick(last)
        beat_frames = usual_beat_frames(self._editor.project, last)
        self.shape.show_envelope(last.envelope, theme.QUIET, beat_frames)
        self._depth_bar.set_values(0, last.depth * 100)
        self._depth.show_value(last.depth * 100)
        self._shift.show_value(-last.envelope.lead)
        self._mute.setText("Mute" if not all(lane.is_muted for lane in lanes) else "Unmute")
        self._solo.setText("Solo" if not all(lane.is_solo for lane in lanes) else "Unsolo")

    def _buttons(self, lanes: LaneDesk) -> QWidget:
        self._mute = button("Mute", "Let all of them fire nothing, or fire again (M)", lanes.mute)
        self._solo = button("Solo", "Let only these lanes fire (S)", lanes.solo)
        up = button("Up", "Move them up (Ctrl+Shift+Up)", lambda: lanes.move(-1))
        down = button("Down", "Move them down (Ctrl+Shift+Down)", lambda: lanes.move(1))
        remove = button("Delete", "Delete these lanes (Delete); undo brings them back", lanes.remove)
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        for widget in (self._mute, self._solo, up, down):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(remove)
        return made

    def _show_pick(self, last: Lane) -> None:
        """Show which hits the lane selected last takes; what is changed of that is changed of all."""
        if self.pick is None or self.pick.lane_id != last.id:
            if self.pick is not None:
                self._box.removeWidget(self.pick)
                self.pick.deleteLater()
            self.pick = PickRows(self._editor, last, lambda: self._editor.selection.lanes)
            self._box.insertWidget(self._box.indexOf(self.shape), self.pick)
            self.pick.show()
        cues = self._editor.cues.lane(last.id)
        if cues is not None:
            self.pick.refresh(last, cues)

    def _fired_row(self) -> QWidget:
        self._pulse = choice_field("What fires these lanes", (), self._fire_by)
        return row("Fired by", self._pulse)

    def _span_row(self) -> QWidget:
        here = button("This part", "Have all of them be on, or fire, in this part of the song", self._in_part)
        anywhere = button("Anywhere", "Have none of them keep to some part", self._anywhere)
        same = button("As the last", "Have all of them keep to what the last one keeps to", self._as_last)
        return row("Where", here, anywhere, same)

    def _fire_by(self, key: str) -> None:
        pulse = PulseId(int(key))
        self._apply(lambda p, ids: change_lanes(p, ids, pulse=pulse), "pulse of lanes")

    def _in_part(self) -> None:
        song, project = self._editor.project.song, self._editor.project
        number = part_at(song, frame_start(self._editor.playhead + 1, project.rate) - 1e-6)
        if number is None:
            self._editor.said.emit("There is no part of the song under the playhead.", True)
            return
        part = parts_of(song)[number]
        spans = (Span(part.start, part.end),)
        self._apply(lambda p, ids: change_lanes(p, ids, spans=spans), "spans of lanes")

    def _anywhere(self) -> None:
        self._apply(lambda p, ids: change_lanes(p, ids, spans=()), "spans of lanes")

    def _as_last(self) -> None:
        last = self._editor.selected_lane()
        if last is not None:
            self._apply(lambda p, ids: change_lanes(p, ids, spans=last.spans), "spans of lanes")

    def _apply(self, edit: Callable[[Project, frozenset[LaneId]], Project], text: str) -> None:
        chosen = self._editor.selection.lanes
        self._editor.apply(lambda p: edit(p, chosen), text)
        self.refresh()

    def _depth_row(self) -> QWidget:
        self._depth_bar = RangeBar("Depth", low=0, high=100, colour=theme.QUIET, has_rest=False)
        self._depth = limited_field(Lane, "depth", "Depth", "%", factor=100)
        self._depth_bar.changed.connect(lambda _rest, value: self._set_depth(value, gesture="depth"))
        self._depth_bar.released.connect(self._editor.end_gesture)
        self._depth.edited.connect(self._set_depth)
        return row("Depth", self._depth_bar, self._depth)

    def _shift_row(self) -> QWidget:
        self._shift = limited_field(Override, "nudge", "Shift", "f")
        self._shift.setToolTip("Frames after the hit; all of these lanes are moved by what it changes by")
        self._shift.edited.connect(self._set_shift)
        earlier = button("Earlier", "All of these lanes a frame earlier", lambda: self._move(-1))
        later = button("Later", "All of these lanes a frame later", lambda: self._move(1))
        return row("Shift", self._shift, earlier, later)

    def _set_shape(self, changes: dict[str, object], gesture: str | None) -> None:
        chosen = self._editor.selection.lanes
        words = f"change of {' and '.join(changes)} of lanes"
        self._editor.apply(lambda p: shape_lanes(p, chosen, **changes), words, gesture=gesture)
        self.refresh()

    def _set_depth(self, percent: float, *, gesture: str | None = None) -> None:
        chosen, depth = self._editor.selection.lanes, round(percent / 100, 4)
        self._editor.apply(lambda p: change_lanes(p, chosen, depth=depth), "depth of lanes", gesture=gesture)
        self.refresh()

    def _set_shift(self, n_frames: float) -> None:
        last = self._editor.selected_lane()
        if last is not None:
            self._move(round(n_frames) + last.envelope.lead)

    def _move(self, n_frames: int) -> None:
        chosen = self._editor.selection.lanes
        self._editor.apply(lambda p: shift_lanes(p, chosen, n_frames), "shift of lanes")
        self.refresh()
