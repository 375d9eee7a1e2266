"""The bench pages of shots and of a gap: clip, length, speed and its curve, moment, transform."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.options import clip_options, pulse_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.shots.filling import MOVES
from epiphane.desk.bench.shots.matte import MatteRows
from epiphane.desk.bench.shots.sound import ShotSoundRows
from epiphane.desk.bench.shots.speed import RAMPS, ShotSpeedRows
from epiphane.desk.bench.struct_fields import StructFields
from epiphane.desk.control.desks import Desks
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shots import ShotDesk, shots_text
from epiphane.desk.look import theme
from epiphane.desk.look.fields import RangeBar, button, in_a_row, label
from epiphane.desk.look.footage_facts import footage_facts
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.project import Project, footage_of
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
from epiphane.edits.shots.cutting import TrimMode, gap_at
from epiphane.edits.shots.shots import (
    beats_of_shot,
    change_shots,
    exchange_shots,
    frame_end,
    frame_shots,
    slip_shot,
)
from epiphane.timing import frame_at
from epiphane.wording import tr

FITS = ((Fit.COVER, tr("Fill the frame")), (Fit.WHOLE, tr("Fit with bars")), (Fit.STRETCH, tr("Stretch")))
_BACKDROPS = (
    (Backdrop.NONE, tr("black")),
    (Backdrop.BLURRED, tr("blurred copy")),
    (Backdrop.COLOUR, tr("colour")),
)
_MOVES = (*MOVES, (Move.TO_END, tr("To an end framing")))
_EXTENDS = ((Extend.MIRROR, tr("back and forth")), (Extend.REPEAT, tr("repeat")))
_MODES = (
    (TrimMode.ROLL.value, tr("next shot gives")),
    (TrimMode.RIPPLE.value, tr("rest moves along")),
    (TrimMode.OVERWRITE.value, tr("covers what follows")),
)


class ShotBench(BenchPage[Item]):
    """The selected shots; of several, the fields show the one that was selected last."""

    def __init__(self, editor: Editor, desks: Desks) -> None:
        super().__init__(editor)
        self._shots, self._snapping, self._panels = desks.shots, desks.snapping, desks.panels
        self._mode = TrimMode.ROLL
        self.speed = ShotSpeedRows(editor, desks.times)
        self.sound = ShotSoundRows(editor)
        self.matte = MatteRows(editor, desks.mattes)
        self.add(self.told(self._told, is_in_numbers=True), self._buttons())
        self.part(self.speed, self._if_clip)
        self._add_time_rows()
        self._add_footage_rows()
        self.part(self.sound, lambda shot: shot if self._footage(shot).has_sound else None)
        self.rule()
        self._add_transform_rows()
        self.rule()
        self.part(self.matte, lambda shot: self._if_clip(shot) if self._is_one() else None)
        self.end()
        desks.snapping.changed.connect(self.refresh)

    def thing(self) -> Item | None:
        """Return the shot that was selected last, where its footage is there."""
        shot = self.editor.chosen.shot
        return None if shot is None or footage_of(self.editor.project, shot.footage) is None else shot

    def _footage(self, shot: Item) -> Footage:
        found = footage_of(self.editor.project, shot.footage)
        assert found is not None, "a shot without footage is not shown"
        return found

    def _is_clip(self, shot: Item) -> bool:
        return self._footage(shot).kind is FootageKind.VIDEO

    def _if_clip(self, shot: Item) -> Item | None:
        return shot if self._is_clip(shot) else None

    def _is_one(self) -> bool:
        return len(self.editor.chosen.shots) == 1

    def _told(self, shot: Item) -> str:
        shots = self.editor.chosen.shots
        if len(shots) > 1:
            return _told_of_several(shots)
        return _told(shot, self._footage(shot), self.editor.project)

    def _buttons(self) -> QWidget:
        shots = self._shots
        land = button(
            tr("Snap to hit"),
            tr("Slip the shot so that its moment falls on the hit that is nearest to it (G)"),
            shots.land,
        )
        keep = self.switch(
            tr("Lock"),
            tr("Lock the shot: it stays where it is, and when the song is filled again (H)"),
            lambda _: all(one.is_locked for one in self.editor.chosen.shots),
            lambda _: shots.toggle_lock(),
            is_quiet=False,
        )
        split = button(tr("Split"), tr("Cut the shot in two at the playhead (/)"), shots.split)
        remove = button(
            tr("Delete"),
            tr(
                "Delete the shot, and its neighbour fills the gap (Delete); the rest closes up (Ctrl + "
                "Delete); it leaves black (Ctrl + Backspace)"
            ),
            shots.remove,
        )
        tip = tr("Show several clips beside each other in this shot (Shift + P)")
        screen = button(tr("Panels"), tip, self._panels.split_screen)
        self.seen(self._is_clip, land)
        return in_a_row(land, keep, split, screen, remove, spacing=6)

    def _add_time_rows(self) -> None:
        whole = (0, 10_000_000)
        begins = self.number(
            tr("First frame"),
            lambda shot: shot.start,
            lambda value: self._shots.begin_on(round(value)),
            limits=whole,
        )
        frames = self.number(
            tr("Length in frames"),
            lambda shot: shot.n_frames,
            lambda value: self._shots.last_frames(round(value), self._mode),
            limits=(1, whole[1]),
        )
        beats = self.number(
            tr("Length in beats"),
            lambda shot: beats_of_shot(self.editor.project, shot.id),
            lambda value: self._shots.last_beats(round(value), self._mode),
            limits=(1, 512),
        )
        words = tr("What gives or takes when the length changes")
        mode = self.choice(words, _MODES, lambda _: self._mode.value, self._set_mode)
        tip = tr("Last until the next section or drop; covers what is there (Ctrl + End)")
        hold = button(tr("Hold"), tip, self._shots.hold)
        tip = tr("Make every shot from here on as long as this one, to the end of the song")
        every = button(tr("Repeat"), tip, lambda: self._shots.every(round(beats.value())))
        start = self.number(
            tr("Starts at"),
            lambda shot: cut_of(shot).source_start,
            self._slip,
            limits=(FootageCut, "source_start"),
            unit="s",
            decimals=2,
            step=0.04,
        )
        self.row(tr("Begins"), begins, label(tr("frame, lasts")), frames, label(tr("frames")))
        self.row(tr("Length"), beats, label(tr("beats")), mode)
        self.row("", hold, every)
        self.row(
            tr("Starts at"),
            self._start_bar(),
            start,
            when=lambda shot: self._is_clip(shot) and self._is_one(),
        )

    def _start_bar(self) -> RangeBar:
        """Return the bar along which a clip is slipped through its shot."""
        made = RangeBar(tr("Starts at"), low=0, high=1, colour=theme.TEXT, has_rest=False)
        made.changed.connect(lambda _rest, value: self._slip(value, gesture="slip"))
        made.released.connect(self.editor.end_gesture)

        def show(shot: Item) -> None:
            footage, start = self._footage(shot), cut_of(shot).source_start
            made.set_range(footage.used_from, max(footage.end, footage.used_from + 0.1))
            made.set_values(footage.used_from, min(max(start, footage.used_from), footage.end))

        self.shows(show)
        return made

    def _add_footage_rows(self) -> None:
        clip = self.choice(
            tr("Clip that is shown"),
            lambda _: clip_options(self.editor.project),
            lambda shot: str(shot.footage),
            lambda key: self._exchange(FootageId(int(key))),
        )
        beyond = self.fields(FootageCut, self._change, _cut_of_one)
        snap_to = self.choice(
            tr("What cuts and shots snap to while they are dragged"),
            lambda _: [
                ("off", tr("nothing")),
                ("cuts", tr("the hits of cuts")),
                *pulse_options(self.editor.project),
            ],
            lambda _: self._snaps_to(),
            self._snap,
        )
        for field in (clip, snap_to):
            field.setMinimumContentsLength(14)
        extend = beyond.choice("extend", tr("Beyond the ends of the clip"), _EXTENDS)
        self.row(tr("Clip"), clip)
        self.row(tr("Past its end"), extend, when=self._is_clip)
        self.row(tr("Snaps to"), snap_to)

    def _add_transform_rows(self) -> None:
        fields = self.fields(Transform, self._set_transform, lambda shot: shot.transform)
        end = self.fields(Framing, self._set_end, lambda shot: shot.transform.end)
        amount = fields.number("amount", tr("How far it moves"), "%", factor=100)
        self.seen(lambda shot: shot.transform.move in (Move.PUSH, Move.DRIFT), amount)
        reset = button(
            tr("Reset"), tr("Undo every change to how it lies in the frame"), self._reset_transform
        )
        self.enabled(lambda shot: shot.transform != Transform(), reset)
        colour = self.colour(
            tr("Colour behind the picture"),
            lambda shot: shot.transform.colour if shot.transform.backdrop is Backdrop.COLOUR else None,
            lambda text: self._set_transform(colour=text),
        )
        self.row(tr("Fit"), fields.choice("fit", tr("How it fills the frame"), FITS), reset)
        self.row(
            tr("Behind it"), fields.choice("backdrop", tr("Behind what it leaves free"), _BACKDROPS), colour
        )
        self.row(tr("Scale"), fields.number("scale", tr("Scale"), "%", factor=100), *turned_fields(fields))
        self.row(tr("Position"), *position_fields(fields))
        self.row(tr("Move"), fields.choice("move", tr("How it moves"), _MOVES), amount)
        end_scale = end.number("scale", tr("Scale at the end"), "%", factor=100)
        self.row(tr("End scale"), end_scale, *turned_fields(end, tr(" at the end")), when=_goes_to_an_end)
        self.row(tr("End position"), *position_fields(end, tr(" at the end")), when=_goes_to_an_end)
        self.row(
            tr("Ease"), fields.choice("ease", tr("How it moves to the end"), RAMPS), when=_goes_to_an_end
        )

    def _exchange(self, footage: FootageId) -> None:
        ids = [shot.id for shot in self.editor.chosen.shots]

        def edit(project: Project) -> Project:
            for shot in ids:
                project = exchange_shots(project, shot, [footage])
            return project

        self.editor.apply(edit, tr("exchange of a shot"))

    def _set_mode(self, key: str) -> None:
        self._mode = TrimMode(key)

    def _snaps_to(self) -> str:
        if not self._snapping.is_on:
            return "off"
        return "cuts" if self._snapping.pulse is None else str(self._snapping.pulse)

    def _snap(self, key: str) -> None:
        if (key != "off") != self._snapping.is_on:
            self._snapping.toggle()
        if key != "off":
            self._snapping.choose(None if key == "cuts" else PulseId(int(key)))

    def _slip(self, seconds: float, *, gesture: str | None = None) -> None:
        self.apply(
            lambda p, shot: slip_shot(p, shot.id, source_start=seconds), tr("slip of a shot"), gesture=gesture
        )

    def _change(self, **changes: Any) -> None:
        ids = self.editor.selection.shots
        self.editor.apply(lambda p: change_shots(p, ids, **changes), tr("change of a shot"))

    def _set_transform(self, **changes: Any) -> None:
        ids = self.editor.selection.shots
        self.editor.apply(lambda p: frame_shots(p, ids, **changes), tr("transform of a shot"))

    def _set_end(self, **changes: Any) -> None:
        ids = self.editor.selection.shots
        self.apply(
            lambda p, shot: frame_end(p, ids, replace(shot.transform.end, **changes)),
            tr("end framing of a shot"),
        )

    def _reset_transform(self) -> None:
        self._change(transform=Transform())


def turned_fields(fields: StructFields, when: str = "") -> tuple[QWidget, ...]:
    """Return the field for how far a picture is turned, with its label; `when` is added to its name."""
    return label(tr("turned")), fields.number(
        "rotation", tr("Turned clockwise{when}", when=when), "°", decimals=1
    )


def position_fields(fields: StructFields, when: str = "") -> tuple[QWidget, ...]:
    """Return the fields for where a picture lies, with their labels; `when` is added to their names."""
    return (
        fields.number("x", tr("To the right{when}", when=when), "%", factor=100),
        label(tr("right")),
        fields.number("y", f"Down{when}", "%", factor=100),
        label(tr("down")),
    )


def _told_of_several(shots: list[Item]) -> str:
    n_frames = sum(shot.n_frames for shot in shots)
    return tr(
        "{shots}, {n_frames} frames: what is changed is changed in all of them",
        shots=shots_text(len(shots)),
        n_frames=n_frames,
    )


def _told(shot: Item, footage: Footage, project: Project) -> str:
    facts = footage_facts(footage)
    return tr(
        "frames {start} to {end}, {facts}\n{moment}",
        start=shot.start,
        end=shot.end - 1,
        facts=facts,
        moment=_tell_moment(shot, footage, project),
    )


def _tell_moment(shot: Item, footage: Footage, project: Project) -> str:
    if shot.pin is not None:
        frame = frame_at(shot.pin.hit, project.rate)
        return tr(
            "its moment at {moment:.2f} s falls on the hit of frame {frame}",
            moment=shot.pin.moment,
            frame=frame,
        )
    if footage.kind is FootageKind.STILL:
        return tr("a still")
    best = footage.best_moment
    return (
        tr("no moment is set") if best is None else tr("its moment at {time:.2f} s is free", time=best.time)
    )


def _cut_of_one(shot: Item) -> FootageCut:
    """Return what of its clip a shot shows; a clip that is too short is slowed by filling alone."""
    cut = cut_of(shot)
    return replace(cut, extend=Extend.MIRROR) if cut.extend is Extend.SLOW else cut


def _goes_to_an_end(shot: Item) -> bool:
    return shot.transform.move is Move.TO_END


class GapBench(BenchPage[range]):
    """The selected gap between shots."""

    def __init__(self, editor: Editor, shots: ShotDesk) -> None:
        super().__init__(editor, spacing=8)
        self._shots = shots
        close = button(
            tr("Close up"), tr("What follows moves up to the shot before (Delete)"), shots.close_gap
        )
        put = button(tr("Put the chosen clip here"), tr("The clip that is chosen on the shelf"), self._put)
        self.add(
            self.told(
                lambda gap: tr(
                    "black from frame {start} to {stop}: {count} frames",
                    start=gap.start,
                    stop=gap.stop - 1,
                    count=len(gap),
                )
            ),
            in_a_row(close, put, spacing=6),
        )
        self.end()

    def thing(self) -> range | None:
        """Return the frames of the selected gap."""
        gap = self.editor.selection.gap
        found = None if gap is None else gap_at(self.editor.project, gap)
        return None if found is None else range(*found)

    def _put(self) -> None:
        gap = self.thing()
        if gap is not None:
            self.editor.go_to(gap.start)
            self._shots.put_here(covers=True)
