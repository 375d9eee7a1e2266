"""The bench of several lanes: what is changed is changed in all of them."""

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.keying.envelope_rows import EnvelopeRows
from epiphane.desk.bench.keying.pick import PickRows
from epiphane.desk.bench.options import pulse_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import LaneDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row
from epiphane.desk.look.lanes import lane_label
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Override, Span
from epiphane.document.project import Project
from epiphane.edits.keying.lanes import change_lanes, shape_lanes, shift_lanes
from epiphane.facts.form import part_at, parts_of
from epiphane.facts.grid import usual_beat_frames
from epiphane.timing import frame_start
from epiphane.wording import tr

_MOST_NAMES = 8


class LanesBench(BenchPage[Lane]):
    """All selected lanes. Shapes and depth become the same in all, a shift is added to what each has.

    What they are to share is shown as it is of the one that was selected last.
    """

    def __init__(self, editor: Editor, lanes: LaneDesk) -> None:
        super().__init__(editor, spacing=6)
        self.pick: PickRows | None = None
        self.envelope = EnvelopeRows()
        self.envelope.changed.connect(self._set_shape)
        self.envelope.released.connect(editor.end_gesture)
        self.shows(self._show_shape)
        pulse = self.choice(
            tr("What fires these lanes"),
            lambda _: pulse_options(editor.project),
            lambda last: str(last.pulse),
            self._fire_by,
        )
        tips = (
            tr("Have all of them be on, or fire, in this part of the song"),
            tr("Have none of them keep to some part"),
            tr("Have all of them keep to what the last one keeps to"),
        )
        here = button(tr("This part"), tips[0], self._in_part)
        anywhere = button(tr("Anywhere"), tips[1], self._anywhere)
        same = button(tr("As the last"), tips[2], self._as_last)
        depth = self.amount(
            tr("Depth"),
            lambda last: last.depth,
            self._set_depth,
            of=(Lane, "depth"),
            colour=theme.QUIET,
            released=editor.end_gesture,
        )
        shift = self.number(
            tr("Shift"),
            lambda last: -last.envelope.lead,
            self._set_shift,
            limits=(Override, "nudge"),
            unit="f",
        )
        shift.setToolTip(tr("Frames after the hit; all of these lanes are moved by what it changes by"))
        earlier = button(tr("Earlier"), tr("All of these lanes a frame earlier"), lambda: self._move(-1))
        later = button(tr("Later"), tr("All of these lanes a frame later"), lambda: self._move(1))
        self.add(self._buttons(lanes), self.told(lambda _: self._names()))
        self.row(tr("Fired by"), pulse)
        self.row(tr("Where"), here, anywhere, same)
        self.shows(self._show_pick)
        self.add(self.envelope)
        self.rule()
        self.row(tr("Depth"), *depth)
        self.row(tr("Shift"), shift, earlier, later)
        self.end()

    def thing(self) -> Lane | None:
        """Return the lane that was selected last."""
        return self.editor.chosen.lane

    def _names(self) -> str:
        names = [lane_label(lane) for lane in self.editor.chosen.lanes]
        more = tr(" and {count} more", count=len(names) - _MOST_NAMES) if len(names) > _MOST_NAMES else ""
        return ", ".join(names[:_MOST_NAMES]) + more

    def _show_shape(self, last: Lane) -> None:
        beat_frames = usual_beat_frames(self.editor.project, last)
        self.envelope.show_envelope(last.envelope, theme.QUIET, beat_frames)

    def _buttons(self, desk: LaneDesk) -> QWidget:
        mute = button(tr("Mute"), tr("Let all of them fire nothing, or fire again (M)"), desk.mute)
        solo = button(tr("Solo"), tr("Let only these lanes fire (S)"), desk.solo)
        up = button(tr("Up"), tr("Move them up (Ctrl+Shift+Up)"), lambda: desk.move(-1))
        down = button(tr("Down"), tr("Move them down (Ctrl+Shift+Down)"), lambda: desk.move(1))
        remove = button(tr("Delete"), tr("Delete these lanes (Delete); undo brings them back"), desk.remove)

        def show(_: Lane) -> None:
            lanes = self.editor.chosen.lanes
            mute.setText(tr("Unmute") if all(lane.is_muted for lane in lanes) else tr("Mute"))
            solo.setText(tr("Unsolo") if all(lane.is_solo for lane in lanes) else tr("Solo"))

        self.shows(show)
        return in_a_row(mute, solo, up, down, right=(remove,), spacing=6)

    def _show_pick(self, last: Lane) -> None:
        """Show which hits the lane selected last takes; what is changed of that is changed of all."""
        if self.pick is None or self.pick.lane_id != last.id:
            if self.pick is not None:
                self.column.removeWidget(self.pick)
                self.pick.deleteLater()
            self.pick = PickRows(self.editor, last, lambda: self.editor.selection.lanes)
            self.column.insertWidget(self.column.indexOf(self.envelope), self.pick)
            self.pick.show()
        if self.editor.cues.lane(last.id) is not None:
            self.pick.show_thing(last)

    def _fire_by(self, key: str) -> None:
        pulse = PulseId(int(key))
        self._apply(lambda p, ids: change_lanes(p, ids, pulse=pulse), tr("pulse of lanes"))

    def _in_part(self) -> None:
        song, project = self.editor.project.song, self.editor.project
        number = part_at(song, frame_start(self.editor.playhead + 1, project.rate) - 1e-6)
        if number is None:
            self.editor.said.emit(tr("There is no part of the song under the playhead."), True)
            return
        part = parts_of(song)[number]
        spans = (Span(part.start, part.end),)
        self._apply(lambda p, ids: change_lanes(p, ids, spans=spans), tr("spans of lanes"))

    def _anywhere(self) -> None:
        self._apply(lambda p, ids: change_lanes(p, ids, spans=()), tr("spans of lanes"))

    def _as_last(self) -> None:
        last = self.editor.chosen.lane
        if last is not None:
            self._apply(lambda p, ids: change_lanes(p, ids, spans=last.spans), tr("spans of lanes"))

    def _apply(
        self, edit: Callable[[Project, frozenset[LaneId]], Project], text: str, *, gesture: str | None = None
    ) -> None:
        chosen = self.editor.selection.lanes
        self.editor.apply(lambda p: edit(p, chosen), text, gesture=gesture)
        self.refresh()

    def _set_shape(self, changes: dict[str, object], gesture: str | None) -> None:
        words = tr("change of {names} of lanes", names=" and ".join(changes))
        self._apply(lambda p, ids: shape_lanes(p, ids, **changes), words, gesture=gesture)

    def _set_depth(self, depth: float, *, gesture: str | None = None) -> None:
        share = round(depth, 4)
        self._apply(lambda p, ids: change_lanes(p, ids, depth=share), tr("depth of lanes"), gesture=gesture)

    def _set_shift(self, n_frames: float) -> None:
        last = self.editor.chosen.lane
        if last is not None:
            self._move(round(n_frames) + last.envelope.lead)

    def _move(self, n_frames: int) -> None:
        self._apply(lambda p, ids: shift_lanes(p, ids, n_frames), tr("shift of lanes"))
