"""The bench page of a shot: clip, length, start, speed, moment, transform."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from epiphane.desk.bench.fields import (
    RangeBar,
    button,
    choice_field,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.bench.filling import MOVES
from epiphane.desk.bench.rows import StructFields, limited_field
from epiphane.desk.control.editor import Editor
from epiphane.desk.shelf.footage import footage_facts
from epiphane.desk.shell import theme
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId
from epiphane.document.project import Project, find
from epiphane.document.timeline import Extend, Fit, FootageCut, Item, Move, Pin, Transform, cut_of
from epiphane.edits.cutting import stretch_shot
from epiphane.edits.shots import (
    beats_of_shot,
    change_shot,
    cutting_hits,
    exchange_shots,
    footage_name,
    frame_shot,
    move_shot,
    pin_shot,
    slip_shot,
    take_out,
)
from epiphane.edits.speed import change_speed
from epiphane.errors import EditError
from epiphane.timing import frame_at

_FITS = ((Fit.COVER, "Fill the frame"), (Fit.WHOLE, "Fit with bars"), (Fit.STRETCH, "Stretch"))
_EXTENDS = ((Extend.MIRROR, "back and forth"), (Extend.REPEAT, "repeat"))


class ShotBench(QWidget):
    """The selected shot."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        box.addWidget(self._what)
        box.addWidget(self._buttons())
        for widget in (*self._time_rows(), rule(), *self._transform_rows()):
            box.addWidget(widget)
        box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show the shot as it is now."""
        found = self._found()
        if found is None:
            return
        shot, footage = found
        cut = cut_of(shot)
        project, is_clip = self._editor.project, footage.kind is FootageKind.VIDEO
        last = shot.start + shot.n_frames - 1
        self._what.setText(
            f"frames {shot.start} to {last}, {footage_facts(footage)}\n{_tell_moment(shot, footage, project)}"
        )
        self._keep.setChecked(shot.is_locked)
        clips = [
            (str(one.id), footage_name(one)) for one in project.footage if one.kind is not FootageKind.SOUND
        ]
        show_options(self._clip, clips)
        show_choice(self._clip, str(footage.id))
        self._beats.show_value(beats_of_shot(project, shot.id))
        for widget in (self._start_row, self._speed_row):
            widget.setVisible(is_clip)
        self._land.setVisible(is_clip)
        self._bar.set_range(footage.used_from, max(footage.end, footage.used_from + 0.1))
        self._bar.set_values(footage.used_from, min(max(cut.source_start, footage.used_from), footage.end))
        self._start.show_value(cut.source_start)
        is_slow = cut.extend is Extend.SLOW  # of a filling alone: a shot that is slowed goes there and back
        for fields in self._cut:
            fields.show(replace(cut, extend=Extend.MIRROR) if is_slow else cut)
        transform = shot.transform
        self._transform.show(transform)
        self._amount.setEnabled(transform.move is not Move.NONE)
        self._reset.setEnabled(transform != Transform())

    # What keys and buttons do

    def land(self) -> None:
        """Slip the shot so that its best moment falls on the hit nearest to the playhead."""
        found = self._found()
        if found is None:
            return
        shot, footage = found
        playhead = self._editor.playhead

        def edit(project: Project) -> Project:
            moment = footage.best_moment
            if moment is None:
                raise EditError(
                    f"{footage_name(footage)} has no moment: choose it on the shelf and set one with N"
                )
            rate = project.rate
            end = shot.start + shot.n_frames
            inside = [hit for hit in cutting_hits(project) if shot.start <= frame_at(hit.time, rate) < end]
            if not inside:
                raise EditError("there is no hit within this shot")
            hit = min(inside, key=lambda one: abs(frame_at(one.time, rate) - playhead))
            return pin_shot(project, shot.id, Pin(moment.time, hit.time))

        if self._editor.apply(edit, "snap of a moment"):
            now = self._editor.selected_shot()
            if now is not None and now.pin is not None:
                self._editor.go_to(frame_at(now.pin.hit, self._editor.project.rate))

    def toggle_kept(self) -> None:
        """Keep the shot when the song is filled again, or no longer."""
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(
                lambda p: change_shot(p, shot.id, is_locked=not shot.is_locked), "locking of a shot"
            )

    def move_to_hit(self, direction: int) -> None:
        """Move the shot to the next (1) or last (-1) hit."""
        shot = self._editor.selected_shot()
        if shot is not None and self._editor.apply(
            lambda p: move_shot(p, shot.id, direction), "move of a shot"
        ):
            moved = self._editor.selected_shot()
            if moved is not None:
                self._editor.go_to(moved.start)

    def _exchange(self, footage: FootageId) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(lambda p: exchange_shots(p, shot.id, [footage]), "exchange of a shot")

    def remove(self) -> None:
        """Take the shot out: its neighbour takes its place."""
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(lambda p: take_out(p, [shot.id]), "removal of a shot")

    def _buttons(self) -> QWidget:
        self._land = button(
            "Snap to hit",
            "Slip the shot so that its moment falls on the hit nearest the playhead (G)",
            self.land,
        )
        self._keep = button(
            "Lock", "Keep this shot as it is when the song is filled again (H)", self.toggle_kept
        )
        self._keep.setCheckable(True)
        remove = button("Delete", "Delete the shot: its neighbour fills the gap (Delete)", self.remove)
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        for widget in (self._land, self._keep, remove):
            line.addWidget(widget)
        line.addStretch(1)
        return made

    def _time_rows(self) -> list[QWidget]:
        self._clip = choice_field("Clip that is shown", [], lambda key: self._exchange(FootageId(int(key))))
        self._beats = number_field("Length in beats", low=1, high=512, unit="")
        self._beats.edited.connect(self._set_beats)
        self._bar = RangeBar("Starts at", low=0, high=1, colour=theme.TEXT, has_rest=False)
        self._start = limited_field(FootageCut, "source_start", "Starts at", "s", decimals=2, step=0.04)
        self._bar.changed.connect(lambda _rest, value: self._slip(value, gesture="slip"))
        self._bar.released.connect(self._editor.end_gesture)
        self._start.edited.connect(self._slip)
        self._start_row = row("Starts at", self._bar, self._start)
        speed = StructFields(FootageCut, self._set_speed)
        extend = StructFields(FootageCut, self._change)
        self._cut = (speed, extend)
        self._speed_row = row(
            "Speed",
            speed.number("speed", "Speed", "%", factor=100, decimals=1, step=5),
            label("past its end"),
            extend.choice("extend", "Beyond the ends of the clip", _EXTENDS),
        )
        return [
            row("Clip", self._clip),
            row("Length", self._beats, label("beats")),
            self._start_row,
            self._speed_row,
        ]

    def _transform_rows(self) -> list[QWidget]:
        fields = self._transform = StructFields(Transform, self._set_transform)
        fit = fields.choice("fit", "How it fills the frame", _FITS)
        self._amount = fields.number("amount", "How far it moves", "%", factor=100)
        self._reset = button(
            "Reset", "Undo every change to fit, scale, position and move", self._reset_transform
        )
        return [
            row("Fit", fit, self._reset),
            row("Scale", fields.number("scale", "Scale", "%", factor=100)),
            row(
                "Position",
                fields.number("x", "To the right", "%", factor=100),
                label("right"),
                fields.number("y", "Down", "%", factor=100),
                label("down"),
            ),
            row("Move", fields.choice("move", "How it moves", MOVES), self._amount),
        ]

    def _found(self) -> tuple[Item, Footage] | None:
        shot = self._editor.selected_shot()
        if shot is None:
            return None
        return shot, find(self._editor.project.footage, cut_of(shot).footage, "footage")

    def _set_beats(self, value: float) -> None:
        shot = self._editor.selected_shot()
        if shot is None:
            return
        before = self._editor.project.shots
        if self._editor.apply(lambda p: stretch_shot(p, shot.id, n_beats=round(value)), "length of a shot"):
            left = {one.id for one in self._editor.project.shots}
            gone = [one for one in before if one.id not in left]
            if gone:
                footage = {one.id: footage_name(one) for one in self._editor.project.footage}
                names = ", ".join(footage.get(cut_of(one).footage, "?") for one in gone[:3])
                more = f" and {len(gone) - 3} more" if len(gone) > 3 else ""
                text = f"The longer shot has taken the place of {names}{more}; Ctrl+Z brings them back."
                self._editor.said.emit(text, False)

    def _slip(self, seconds: float, *, gesture: str | None = None) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(
                lambda p: slip_shot(p, shot.id, source_start=seconds), "slip of a shot", gesture=gesture
            )

    def _set_speed(self, *, speed: float) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(lambda p: change_speed(p, shot.id, speed), "speed of a shot")

    def _change(self, **changes: Any) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(lambda p: change_shot(p, shot.id, **changes), "change of a shot")

    def _set_transform(self, **changes: Any) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(lambda p: frame_shot(p, shot.id, **changes), "transform of a shot")

    def _reset_transform(self) -> None:
        self._change(transform=Transform())


def _tell_moment(shot: Item, footage: Footage, project: Project) -> str:
    if shot.pin is not None:
        frame = frame_at(shot.pin.hit, project.rate)
        return f"its moment at {shot.pin.moment:.2f} s falls on the hit of frame {frame}"
    if footage.kind is FootageKind.STILL:
        return "a still"
    best = footage.best_moment
    return "no moment is set" if best is None else f"its moment at {best.time:.2f} s is free"
