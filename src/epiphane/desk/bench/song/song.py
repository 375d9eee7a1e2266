"""The bench of the song: what was heard in it, and how it is put right."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel

from epiphane.audio.heard import Listening
from epiphane.audio.in_project import with_heard_bands
from epiphane.desk.bench.page import BenchPage, Rows
from epiphane.desk.bench.song.fade import FadePicture
from epiphane.desk.bench.song.film import FilmFields
from epiphane.desk.bench.song.tempo_curve import TempoCurve
from epiphane.desk.bench.song.texts import (
    MOST_OTHERS,
    bars_text,
    beats_per_bar,
    difference_text,
    heard_texts,
    other_readings,
)
from epiphane.desk.bench.struct_fields import limited_field
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.form import FormDesk
from epiphane.desk.control.frame_shapes import ShapeDesk
from epiphane.desk.look.fields import NumberField, button, label, number_field, row, wrapped
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Beat, Song
from epiphane.document.timeline import Fades
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.picture import change_fades
from epiphane.edits.song.beats import (
    double_beats,
    halve_beats,
    hold_tempo,
    set_beats_per_bar,
    set_tempo,
    shift_one,
    take_reading,
)
from epiphane.edits.song.song import lock_song
from epiphane.edits.song.trim import file_duration, shape_song, trim_song
from epiphane.timing import clock_text, frame_start
from epiphane.wording import plural, tr

_HINT = tr("Click a cue, a lane, a pulse or a shot in the score to change it here.")
_FACTS = (tr("Length"), tr("Clock"), tr("Beats"), tr("Drums"), tr("Parts"), tr("Drop"), tr("Made of"))
_LISTENED = (tr("Beats"), tr("Drums"), tr("Parts"), tr("Drop"), tr("Clock"))
_USUAL_TEMPO = 120.0


class SongBench(BenchPage[Project]):
    """What was heard in the song, the shape of the film, and the corrections of beats and bars.

    Signals
    -------
    listen_asked(tempo: float)
        The loop or the stave is to be listened to again, near this tempo in BPM.
    """

    listen_asked = pyqtSignal(float)

    def __init__(self, editor: Editor, shapes: ShapeDesk, form: FormDesk) -> None:
        super().__init__(editor, spacing=6)
        self.film = FilmFields(editor, shapes)
        self._facts: dict[str, QLabel] = {}
        self.part(_CorrectionRows(self), lambda project: project.song)
        for name in _FACTS:
            if name == tr("Made of"):
                self._add_form_row(form)
            self._facts[name] = wrapped("", is_quiet=False)
            self.row(name, self._facts[name], when=_has_work)
        self.shows(self._show_facts)
        self.row(tr("Film"), self.film, when=_has_work)
        self.shows(self.film.show_thing)
        self.rule()
        self.part(_SoundRows(self), lambda project: project.song)
        self.add(wrapped(_HINT), when=_has_work)
        self.end()
        editor.ticking_changed.connect(self.refresh)
        self.refresh()

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project

    @property
    def listening(self) -> Listening | None:
        """What was heard in the song, where it has been listened to."""
        return None if self.editor.heard is None else self.editor.heard.listening

    def _add_form_row(self, form: FormDesk) -> None:
        tips = (
            tr("A part begins at the bar line nearest to the playhead (Ctrl + U)"),
            tr("A drop on the beat nearest to the playhead, or none (Shift + V)"),
        )
        split = button(tr("Split here"), tips[0], form.split)
        drop = button(tr("Drop here"), tips[1], form.toggle_drop)
        as_heard = button(tr("As heard"), tr("Forget what was set of parts and drops"), form.as_heard)
        self.enabled(lambda project: _is_own(project.song) and self.editor.heard is not None, as_heard)
        self.row("", split, drop, as_heard, when=_has_work)

    def _show_facts(self, project: Project) -> None:
        texts = dict.fromkeys(self._facts, "–")
        song = project.song
        if song is not None:
            texts[tr("Length")] = clock_text(song.duration)
            is_listening = self.editor.is_listening
            texts |= dict.fromkeys(_LISTENED, tr("listening…")) if is_listening else heard_texts(song)
        texts[tr("Made of")] = ", ".join(
            (
                plural(len(project.shots), "1 shot", "{} shots"),
                plural(len(project.lanes), "1 lane", "{} lanes"),
            )
        )
        for name, text in texts.items():
            self._facts[name].setText(text)

    def toggle_ticks(self) -> None:
        """Have a tick heard on every beat, or no longer."""
        made: list[bool] = []

        def edit(project: Project) -> Project:
            changed, pulse = ensure_pulse(project, PulseUnit.BEAT)
            made.append(pulse in self.editor.ticking)
            self.editor.set_ticking(self.editor.ticking ^ {pulse})
            return changed

        self.editor.apply(edit, tr("pulse of beats"))
        self.refresh()

    def correct(self, edit: Callable[[Project], Project], text: str) -> None:
        """Put something of the song right, as one step that is told by `text`."""
        self.editor.apply(edit, tr("{words} of the song", words=text) if " " not in text else text)
        self.refresh()

    def anchor(self) -> float | None:
        """Return the beat that a tempo set by hand goes through: the selected one, or the first downbeat."""
        beat = self.editor.chosen.beat
        if beat is not None:
            return beat.time
        song = self.editor.project.song
        if song is not None and not song.beats:
            return frame_start(self.editor.playhead, self.editor.project.rate)
        return None


class _CorrectionRows(Rows[Song]):
    """How beats and bars are put right."""

    def __init__(self, page: SongBench) -> None:
        super().__init__(spacing=6)
        self._page = page
        self.add(TempoCurve(page.editor))
        self._add_tempo_rows()
        self._add_other_rows()
        self._add_again_row()
        self.rule()

    def _add_tempo_rows(self) -> None:
        page, correct = self._page, self._page.correct
        tempo = self.number(
            tr("Tempo"),
            lambda song: song.tempo,
            lambda tempo: correct(lambda p: set_tempo(p, tempo, anchor=page.anchor()), tr("tempo")),
            limits=(0, 400),
            unit="BPM",
            decimals=2,
            step=0.1,
            width=104,
        )
        per_bar = self.number(
            tr("Beats to the bar"),
            lambda song: beats_per_bar(song.beats),
            lambda number: correct(lambda p: set_beats_per_bar(p, round(number)), tr("beats to the bar")),
            limits=(Beat, "place"),
            width=48,
        )
        per_bar.setToolTip(
            tr("Beats to the bar, through the whole song; a beat's bench sets it from there on")
        )
        tips = (
            tr("Lay the beats on one constant tempo, as close to where they are as it can be"),
            tr("Let every bar begin a beat later"),
        )
        even = button(tr("Even out"), tips[0], lambda: correct(hold_tempo, tr("evening out")))
        half = button(tr("Half"), tr("Keep every other beat"), lambda: correct(halve_beats, tr("half")))
        double = button(
            tr("Double"), tr("Add a beat between every two"), lambda: correct(double_beats, tr("double"))
        )
        later = button(tr("Shift downbeat"), tips[1], lambda: correct(shift_one, tr("shift of the downbeat")))
        note = label("")
        self.shows(lambda song: note.setText(bars_text(song, page.listening)))
        self.enabled(lambda song: not song.is_locked, tempo, per_bar)
        self.enabled(_is_open, even, half, double, later)
        self.row(tr("Tempo"), tempo, even)
        self.row(tr("Bars of"), per_bar, note)
        self.row(tr("Correct"), half, double, later)

    def _add_other_rows(self) -> None:
        """Add what the song could be read as instead, two a row."""
        choices = [
            button("", tr("Take these beats and bars instead"), partial(self._take_other, number))
            for number in range(MOST_OTHERS)
        ]
        lines = [row(tr("Other readings"), *choices[:2]), row("", *choices[2:])]
        self.add(*lines)

        def show(song: Song) -> None:
            others = other_readings(song, self._page.listening)
            for number, choice in enumerate(choices):
                choice.setVisible(number < len(others))
                choice.setEnabled(not song.is_locked)
                if number < len(others):
                    other = others[number]
                    choice.setText(f"{difference_text(other, song)} · {other.share:.0%}")
            for number, line in enumerate(lines):
                line.setVisible(len(others) > 2 * number)

        self.shows(show)

    def _add_again_row(self) -> None:
        near = number_field(tr("Near this tempo"), low=20, high=400, unit="BPM", decimals=1)
        near.setFixedWidth(92)
        tip = tr("Listen once more to the stave under the playhead, or to the loop, near this tempo")
        again = button(tr("This stave again"), tip, lambda: self._page.listen_asked.emit(near.value()))
        self.enabled(_is_open, again)

        def show(song: Song) -> None:
            if not near.hasFocus():
                near.show_value(round(song.tempo, 1) or _USUAL_TEMPO)

        self.shows(show)
        self.row(tr("Listen to"), again, label(tr("near")), near)

    def _take_other(self, number: int) -> None:
        song = self._page.editor.project.song
        others = [] if song is None else other_readings(song, self._page.listening)
        if number < len(others):
            beats = others[number].beats
            self._page.correct(lambda p: take_reading(p, beats), tr("other reading"))


class _SoundRows(Rows[Song]):
    """Which part of its file the song is, how it and the picture come and go, how loud it is; and checks."""

    def __init__(self, page: SongBench) -> None:
        super().__init__(spacing=6)
        self._page, self._editor = page, page.editor
        self._from = self._end_field(tr("Begin at"), lambda song: song.start)
        self._to = self._end_field(tr("End at"), lambda song: song.start + song.duration)
        sound = self.fields(Song, self._shape_song, lambda song: song)
        picture = self.fields(Fades, self._fade_pictures, lambda _: self._editor.project.fades)
        names = ("fade_in", tr("Fade in")), ("fade_out", tr("Fade out"))
        sound_in, sound_out = (sound.number(name, text, "s", decimals=2, step=0.25) for name, text in names)
        names = (
            ("fade_in", tr("Fade of the picture from black")),
            ("fade_out", tr("Fade of the picture to black")),
        )
        picture_in, picture_out = (
            picture.number(name, text, "s", decimals=2, step=0.25) for name, text in names
        )
        gain = sound.number("gain", tr("Gain"), "dB", decimals=1, step=0.5)
        bend = self._bend(lambda song: song.fade_bend, "fade_bend", self._shape_song)
        picture_bend = self._bend(lambda _: self._editor.project.fades.bend, "bend", self._fade_pictures)
        picture_bend.setAccessibleName(tr("Shape of the fades of the picture"))
        self.enabled(lambda song: not song.is_locked, self._from, self._to, sound_in, sound_out, gain, bend)
        self.row(tr("From, to"), self._from, label("to"), self._to)
        self.row(tr("Sound fades"), label("in"), sound_in, label(tr("out")), sound_out, bend)
        self.row(tr("Picture fades"), label("in"), picture_in, label(tr("out")), picture_out, picture_bend)
        self.row(tr("Gain"), gain)
        self._add_checks_row()

    def _end_field(self, name: str, value_of: Callable[[Song], float]) -> NumberField:
        """Return the field for one end of the song in its file."""
        made = limited_field(Song, "start", name, "s", decimals=3, step=0.1)
        made.setToolTip(tr("{name} this second of its file", name=name))
        made.setFixedWidth(96)
        made.edited.connect(lambda _: self._trim())

        def show(song: Song) -> None:
            whole = self._editor.heard_file
            made.show_limits(0, file_duration(song, None if whole is None else whole.samples.duration))
            made.show_value(round(value_of(song), 3))

        self.shows(show)
        return made

    def _bend(self, bend_of: Callable[[Song], float], field: str, change: Callable[..., None]) -> FadePicture:
        """Return the picture of how a fade bends."""
        made = FadePicture()
        made.bent.connect(lambda bend: change(gesture="fade", **{field: bend}))
        made.released.connect(self._editor.end_gesture)
        self.shows(lambda song: made.show_bend(bend_of(song)))
        return made

    def _add_checks_row(self) -> None:
        ticks = self.switch(
            tr("Tick"),
            tr("Hear a tick on every beat, never in the export (Shift + T)"),
            lambda _: self._is_ticking(),
            lambda _: self._page.toggle_ticks(),
            is_quiet=False,
        )
        self.enabled(lambda song: len(song.beats) > 1, ticks)
        lock = self.switch(
            tr("Lock"),
            tr("Keep beats and song as they are"),
            lambda song: song.is_locked,
            self._lock,
            is_quiet=False,
        )
        self.shows(lambda song: lock.setText(tr("Locked") if song.is_locked else tr("Lock")))
        self.row(tr("Check"), ticks, lock)

    def _is_ticking(self) -> bool:
        beats = next((p.id for p in self._editor.project.pulses if p.unit is PulseUnit.BEAT), None)
        return beats is not None and beats in self._editor.ticking

    def _lock(self, is_locked: bool) -> None:
        self._editor.apply(lambda p: lock_song(p, is_locked=is_locked), "lock")

    def _trim(self) -> None:
        start, end = self._from.value(), self._to.value()
        whole = self._editor.heard_file

        def edit(project: Project) -> Project:
            trimmed = trim_song(project, start, end)
            if whole is None or trimmed.song is None:
                return trimmed
            return with_heard_bands(
                trimmed, whole.used_by(trimmed.song).listening.levels, whole.listening.levels
            )

        self._page.correct(edit, "trim")

    def _fade_pictures(self, *, gesture: str | None = None, **changes: float) -> None:
        self._editor.apply(lambda p: change_fades(p, **changes), tr("fades of the picture"), gesture=gesture)
        self._page.refresh()

    def _shape_song(self, *, gesture: str | None = None, **changes: float) -> None:
        self._editor.apply(lambda p: shape_song(p, **changes), tr("shape of the song"), gesture=gesture)
        self._page.refresh()


def _has_work(project: Project) -> bool:
    return project.song is not None or bool(project.footage)


def _is_open(song: Song) -> bool:
    """Whether the beats of a song can be put right."""
    return len(song.beats) > 1 and not song.is_locked


def _is_own(song: Song | None) -> bool:
    """Whether parts or drops were set by the user."""
    return song is not None and (song.has_own_drops or any(one.is_own for one in song.sections))
