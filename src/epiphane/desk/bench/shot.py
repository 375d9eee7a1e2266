"""The bench page of shots: clip, length, speed and its curve, moment, transform."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.filling import MOVES
from epiphane.desk.bench.matte import MatteRows
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields, limited_field
from epiphane.desk.bench.shot_sound import ShotSoundRows
from epiphane.desk.bench.shot_speed import RAMPS, ShotSpeedRows
from epiphane.desk.control.desks import Desks
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shots import ShotDesk, shots_text
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    ColourButton,
    RangeBar,
    button,
    choice_field,
    in_a_row,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.look.footage_facts import footage_facts
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.project import Project
from epiphane.document.timeline import (
    Backdrop,
    Extend,
    Fit,
    FootageCut,
    Framing,
    Item,
    Move,
    Transform,
    cut_of,
)
from epiphane.edits.cutting import TrimMode, gap_at
from epiphane.edits.shots import (
    beats_of_shot,
    change_shots,
    exchange_shots,
    footage_name,
    frame_end,
    frame_shots,
    slip_shot,
)
from epiphane.timing import frame_at

FITS = ((Fit.COVER, "Fill the frame"), (Fit.WHOLE, "Fit with bars"), (Fit.STRETCH, "Stretch"))
_BACKDROPS = (
    (Backdrop.NONE, "black"),
    (Backdrop.BLURRED, "blurred copy"),
    (Backdrop.COLOUR, "colour"),
)
_MOVES = (*MOVES, (Move.TO_END, "To an end framing"))
_EXTENDS = ((Extend.MIRROR, "back and forth"), (Extend.REPEAT, "repeat"))
_MODES = (
    (TrimMode.ROLL.value, "next shot gives"),
    (TrimMode.RIPPLE.value, "rest moves along"),
    (TrimMode.OVERWRITE.value, "covers what follows"),
)


class ShotBench(BenchPage):
    """The selected shots; of several, the fields show the one that was selected last."""

    def __init__(self, editor: Editor, desks: Desks) -> None:
        super().__init__()
        self._editor, self._shots, self._snapping = editor, desks.shots, desks.snapping
        self._panels = desks.panels
        self._mode = TrimMode.ROLL
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        box.addWidget(self._what)
        box.addWidget(self._buttons())
        self.speed = ShotSpeedRows(editor, desks.times)
        self.sound = ShotSoundRows(editor)
        self.matte = MatteRows(editor, desks.mattes)
        for widget in (
            self.speed,
            *self._time_rows(),
            *self._footage_rows(),
            self.sound,
            rule(),
            *self._transform_rows(),
            rule(),
            self.matte,
        ):
            box.addWidget(widget)
        box.addStretch(1)
        desks.snapping.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the shots as they are now."""
        shot, shots, project = (
            self._editor.selected_shot(),
            self._editor.selected_shots(),
            self._editor.project,
        )
        footage = next((one for one in project.footage if shot and one.id == shot.footage), None)
        if shot is None or footage is None:
            return
        cut, is_clip, is_one = cut_of(shot), footage.kind is FootageKind.VIDEO, len(shots) == 1
        self._what.setText(_told(shot, footage, project) if is_one else _told_of_several(shots))
        self._keep.setChecked(all(one.is_locked for one in shots))
        clips = [
            (str(one.id), footage_name(one)) for one in project.footage if one.kind is not FootageKind.SOUND
        ]
        show_options(self._clip, clips)
        show_choice(self._clip, str(footage.id))
        self._beats.show_value(beats_of_shot(project, shot.id))
        self._begins.show_value(shot.start)
        self._frames.show_value(shot.n_frames)
        show_choice(self._mode_choice, self._mode.value)
        self._start_row.setVisible(is_clip and is_one)
        self._extend_row.setVisible(is_clip)
        self.speed.setVisible(is_clip)
        self._land.setVisible(is_clip)
        self._bar.set_range(footage.used_from, max(footage.end, footage.used_from + 0.1))
        self._bar.set_values(footage.used_from, min(max(cut.source_start, footage.used_from), footage.end))
        self._start.show_value(cut.source_start)
        is_slow = cut.extend is Extend.SLOW  # of a filling alone: a shot that is slowed goes there and back
        self._beyond.show(replace(cut, extend=Extend.MIRROR) if is_slow else cut)
        self.speed.refresh()
        self.sound.setVisible(footage.has_sound)
        self.sound.refresh()
        self.matte.setVisible(is_clip and is_one)
        self.matte.refresh()
        transform = shot.transform
        self._transform.show(transform)
        self._end.show(transform.end)
        self._amount.setVisible(transform.move in (Move.PUSH, Move.DRIFT))
        for widget in self._end_rows:
            widget.setVisible(transform.move is Move.TO_END)
        self._colour.set_colour(transform.colour)
        self._colour.setVisible(transform.backdrop is Backdrop.COLOUR)
        self._reset.setEnabled(shot.transform != Transform())
        pulses = [(str(pulse.id), pulse.name) for pulse in project.pulses]
        show_options(self._snap_to, [("off", "nothing"), ("cuts", "the hits of cuts"), *pulses])
        chosen = "cuts" if self._snapping.pulse is None else str(self._snapping.pulse)
        show_choice(self._snap_to, chosen if self._snapping.is_on else "off")

    def _buttons(self) -> QWidget:
        shots = self._shots
        self._land = button(
            "Snap to hit",
            "Slip the shot so that its moment falls on the hit that is nearest to it (G)",
            shots.land,
        )
        self._keep = button(
            "Lock",
            "Lock the shot: it stays where it is, and when the song is filled again (H)",
            shots.toggle_lock,
        )
        self._keep.setCheckable(True)
        split = button("Split", "Cut the shot in two at the playhead (/)", shots.split)
        remove = button(
            "Delete",
            "Delete the shot, and its neighbour fills the gap (Delete); the rest closes up (Ctrl + Delete);"
            " it leaves black (Ctrl + Backspace)",
            shots.remove,
        )
        screen = button(
            "Panels",
            "Show several clips beside each other in this shot (Shift + P)",
            self._panels.split_screen,
        )
        return in_a_row(self._land, self._keep, split, screen, remove, spacing=6)

    def _time_rows(self) -> list[QWidget]:
        self._begins = number_field("First frame", low=0, high=10_000_000, unit="")
        self._begins.edited.connect(lambda value: self._shots.begin_on(round(value)))
        self._frames = number_field("Length in frames", low=1, high=10_000_000, unit="")
        self._frames.edited.connect(lambda value: self._shots.last_frames(round(value), self._mode))
        self._beats = number_field("Length in beats", low=1, high=512, unit="")
        self._beats.edited.connect(lambda value: self._shots.last_beats(round(value), self._mode))
        self._mode_choice = choice_field(
            "What gives or takes when the length changes", _MODES, self._set_mode
        )
        hold = button(
            "Hold", "Last until the next section or drop; covers what is there (Ctrl + End)", self._shots.hold
        )
        every = button(
            "Repeat",
            "Make every shot from here on as long as this one, to the end of the song",
            lambda: self._shots.every(round(self._beats.value())),
        )
        self._bar = RangeBar("Starts at", low=0, high=1, colour=theme.TEXT, has_rest=False)
        self._start = limited_field(FootageCut, "source_start", "Starts at", "s", decimals=2, step=0.04)
        self._bar.changed.connect(lambda _rest, value: self._slip(value, gesture="slip"))
        self._bar.released.connect(self._editor.end_gesture)
        self._start.edited.connect(self._slip)
        self._start_row = row("Starts at", self._bar, self._start)
        return [
            row("Begins", self._begins, label("frame, lasts"), self._frames, label("frames")),
            row("Length", self._beats, label("beats"), self._mode_choice),
            row("", hold, every),
            self._start_row,
        ]

    def _footage_rows(self) -> list[QWidget]:
        self._clip = choice_field("Clip that is shown", [], lambda key: self._exchange(FootageId(int(key))))
        self._beyond = StructFields(FootageCut, self._change)
        self._extend_row = row(
            "Past its end", self._beyond.choice("extend", "Beyond the ends of the clip", _EXTENDS)
        )
        self._snap_to = choice_field("What cuts and shots snap to while they are dragged", [], self._snap)
        for field in (self._clip, self._snap_to):
            field.setMinimumContentsLength(14)
        return [row("Clip", self._clip), self._extend_row, row("Snaps to", self._snap_to)]

    def _transform_rows(self) -> list[QWidget]:
        fields = self._transform = StructFields(Transform, self._set_transform)
        end = self._end = StructFields(Framing, self._set_end)
        self._amount = fields.number("amount", "How far it moves", "%", factor=100)
        self._reset = button("Reset", "Undo every change to how it lies in the frame", self._reset_transform)
        self._colour = ColourButton("Colour behind the picture")
        self._colour.picked.connect(lambda colour: self._set_transform(colour=colour))
        end_scale = end.number("scale", "Scale at the end", "%", factor=100)
        backdrop = fields.choice("backdrop", "Behind what it leaves free", _BACKDROPS)
        self._end_rows = [
            row("End scale", end_scale, *turned_fields(end, " at the end")),
            row("End position", *position_fields(end, " at the end")),
            row("Ease", fields.choice("ease", "How it moves to the end", RAMPS)),
        ]
        return [
            row("Fit", fields.choice("fit", "How it fills the frame", FITS), self._reset),
            row("Behind it", backdrop, self._colour),
            row("Scale", fields.number("scale", "Scale", "%", factor=100), *turned_fields(fields)),
            row("Position", *position_fields(fields)),
            row("Move", fields.choice("move", "How it moves", _MOVES), self._amount),
            *self._end_rows,
        ]

    def _exchange(self, footage: FootageId) -> None:
        ids = [shot.id for shot in self._editor.selected_shots()]

        def edit(project: Project) -> Project:
            for shot in ids:
                project = exchange_shots(project, shot, [footage])
            return project

        self._editor.apply(edit, "exchange of a shot")

    def _set_mode(self, key: str) -> None:
        self._mode = TrimMode(key)

    def _snap(self, key: str) -> None:
        if (key != "off") != self._snapping.is_on:
            self._snapping.toggle()
        if key != "off":
            self._snapping.choose(None if key == "cuts" else PulseId(int(key)))

    def _slip(self, seconds: float, *, gesture: str | None = None) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            self._editor.apply(
                lambda p: slip_shot(p, shot.id, source_start=seconds), "slip of a shot", gesture=gesture
            )

    def _change(self, **changes: Any) -> None:
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: change_shots(p, ids, **changes), "change of a shot")

    def _set_transform(self, **changes: Any) -> None:
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: frame_shots(p, ids, **changes), "transform of a shot")

    def _set_end(self, **changes: Any) -> None:
        shot = self._editor.selected_shot()
        if shot is not None:
            ids, framing = self._editor.selection.shots, replace(shot.transform.end, **changes)
            self._editor.apply(lambda p: frame_end(p, ids, framing), "end framing of a shot")

    def _reset_transform(self) -> None:
        self._change(transform=Transform())


def turned_fields(fields: StructFields, when: str = "") -> tuple[QWidget, ...]:
    """Return the field for how far a picture is turned, with its label; `when` is added to its name."""
    return label("turned"), fields.number("rotation", f"Turned clockwise{when}", "°", decimals=1)


def position_fields(fields: StructFields, when: str = "") -> tuple[QWidget, ...]:
    """Return the fields for where a picture lies, with their labels; `when` is added to their names."""
    return (
        fields.number("x", f"To the right{when}", "%", factor=100),
        label("right"),
        fields.number("y", f"Down{when}", "%", factor=100),
        label("down"),
    )


def _told_of_several(shots: list[Item]) -> str:
    n_frames = sum(shot.n_frames for shot in shots)
    return f"{shots_text(len(shots))}, {n_frames} frames: what is changed is changed in all of them"


def _told(shot: Item, footage: Footage, project: Project) -> str:
    facts = footage_facts(footage)
    return f"frames {shot.start} to {shot.end - 1}, {facts}\n{_tell_moment(shot, footage, project)}"


def _tell_moment(shot: Item, footage: Footage, project: Project) -> str:
    if shot.pin is not None:
        frame = frame_at(shot.pin.hit, project.rate)
        return f"its moment at {shot.pin.moment:.2f} s falls on the hit of frame {frame}"
    if footage.kind is FootageKind.STILL:
        return "a still"
    best = footage.best_moment
    return "no moment is set" if best is None else f"its moment at {best.time:.2f} s is free"


class GapBench(BenchPage):
    """The selected gap between shots."""

    def __init__(self, editor: Editor, shots: ShotDesk) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._what = label("")
        self._what.setWordWrap(True)
        box.addWidget(self._what)
        close = button("Close up", "What follows moves up to the shot before (Delete)", shots.close_gap)
        put = button("Put the chosen clip here", "The clip that is chosen on the shelf", self._put)
        box.addWidget(in_a_row(close, put, spacing=6))
        box.addStretch(1)
        self._shots = shots

    def refresh(self) -> None:
        """Show the gap as it is now."""
        found = self._found()
        if found is not None:
            self._what.setText(f"black from frame {found[0]} to {found[1] - 1}: {found[1] - found[0]} frames")

    def _found(self) -> tuple[int, int] | None:
        gap = self._editor.selection.gap
        return None if gap is None else gap_at(self._editor.project, gap)

    def _put(self) -> None:
        found = self._found()
        if found is not None:
            self._editor.go_to(found[0])
            self._shots.put_here(covers=True)
