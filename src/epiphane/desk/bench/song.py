"""The bench of the song: what was heard in it, and how it is put right."""

from collections.abc import Callable, Sequence
from functools import partial
from itertools import pairwise
from statistics import median, quantiles

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.audio.heard import Listening, OtherReading
from epiphane.audio.in_project import with_heard_bands
from epiphane.desk.bench.fade import FadePicture
from epiphane.desk.bench.film import FilmFields
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields, limited_field
from epiphane.desk.bench.tempo_curve import TempoCurve
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.form import FormDesk
from epiphane.desk.control.shapes import ShapeDesk
from epiphane.desk.look.fields import NumberField, button, label, number_field, row, rule
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import DRUMS, Beat, Drums, Song
from epiphane.document.timeline import Fades
from epiphane.edits.beats import (
    double_beats,
    halve_beats,
    hold_tempo,
    set_beats_per_bar,
    set_tempo,
    shift_one,
    take_reading,
)
from epiphane.edits.picture import change_fades
from epiphane.edits.pulses import ensure_pulse
from epiphane.edits.song import lock_song
from epiphane.edits.song_trim import file_duration, shape_song, trim_song
from epiphane.facts.form import parts_of
from epiphane.facts.grid import DOUBTFUL
from epiphane.timing import clock_text, frame_start

_HINT = "Click a cue, a lane, a pulse or a shot in the score to change it here."
_FACTS = ("Length", "Clock", "Beats", "Drums", "Parts", "Drop", "Made of")
_NO_PARTS = "none were heard: split the song where one begins"
_NO_DROP = "none: put one on the beat where everything comes in"
_MOST_OTHERS = 4
_SAME_SECONDS, _SAME_TEMPO, _COMPARED = 0.02, 0.02, 32
# How far off the beats a reading's lie, as shares of a beat, and what it is called.
_LEAST_SHIFT, _SHIFTS = 0.1, ((0.42, "half a beat off"), (0.29, "a third off"), (0.0, "a quarter off"))
_USUAL_TEMPO = 120.0


class SongBench(BenchPage):
    """What was heard in the song, the shape of the film, and the corrections of beats and bars.

    Signals
    -------
    listen_asked(tempo: float)
        The loop or the stave is to be listened to again, near this tempo in BPM.
    """

    listen_asked = pyqtSignal(float)

    def __init__(self, editor: Editor, shapes: ShapeDesk, form: FormDesk) -> None:
        super().__init__()
        self._editor = editor
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(6)
        self._curve = TempoCurve(editor)
        self._corrections = [
            *(self._curve, self._tempo_row(), self._bars_row(), self._beats_row(), *self._others_rows()),
            self._again_row(),
            rule(),
        ]
        self._facts = {name: label("", is_quiet=False) for name in _FACTS}
        for words in self._facts.values():
            words.setWordWrap(True)
        self.film = FilmFields(editor, shapes)
        self._rows = [row(name, words) for name, words in self._facts.items()]
        self._rows.append(row("Film", self.film))
        self._rows.insert(_FACTS.index("Made of"), self._form_row(form))
        self._shape = self._shape_rows()
        for widget in (*self._corrections, *self._rows, rule(), *self._shape, self._checks_row()):
            self._box.addWidget(widget)
        self._hint = label(_HINT)
        self._hint.setWordWrap(True)
        self._box.addWidget(self._hint)
        self._box.addStretch(1)
        editor.ticking_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the project as it is now."""
        project = self._editor.project
        song = project.song
        has_work = song is not None or bool(project.footage)
        for widget in self._rows:
            widget.setVisible(has_work)
        is_own = song is not None and (song.has_own_drops or any(one.is_own for one in song.sections))
        self._as_heard.setEnabled(is_own and self._editor.heard is not None)
        for widget in (*self._corrections, *self._shape, self._checks):
            widget.setVisible(song is not None)
        self._hint.setVisible(has_work)
        texts = dict.fromkeys(self._facts, "–")
        if song is not None:
            texts["Length"] = clock_text(song.duration)
            texts |= self._heard_texts(song)
            self._show_corrections(song)
        self.film.refresh()
        texts["Made of"] = f"{_many(len(project.shots), 'shot')}, {_many(len(project.lanes), 'lane')}"
        for name, text in texts.items():
            self._facts[name].setText(text)

    def _heard_texts(self, song: Song) -> dict[str, str]:
        """Return what was heard in the song, row by row."""
        if self._editor.is_listening:
            return dict.fromkeys(("Beats", "Drums", "Parts", "Drop", "Clock"), "listening…")
        texts = {
            "Drums": _drums_text(song.drums),
            "Parts": " · ".join(part.label for part in parts_of(song)) or _NO_PARTS,
            "Drop": ", ".join(clock_text(drop) for drop in song.drops) or _NO_DROP,
        }
        if not song.beats:
            return texts | {"Beats": "no beat was heard: set the tempo by hand"}
        n_doubtful = sum(beat.confidence < DOUBTFUL for beat in song.beats)
        texts["Clock"] = "a machine's: one constant tempo" if song.is_steady else _player(song)
        texts["Beats"] = f"{len(song.beats)}, {n_doubtful or 'none'} doubtful"
        if n_doubtful:
            texts["Beats"] += " (D goes to the next)"
        return texts

    def _show_corrections(self, song: Song) -> None:
        listening = self._editor.heard.listening if self._editor.heard is not None else None
        self._tempo.show_value(song.tempo)
        self._per_bar.show_value(_metre(song.beats))
        is_as_heard = listening is not None and listening.beats == song.beats
        sure = listening.metre_confidence if listening is not None and is_as_heard else 0.0
        n_bars = sum(beat.place == 1 for beat in song.beats)
        self._bars_note.setText(f"{n_bars} bars" + (f", {sure:.0%} sure" if sure else ""))
        self._show_others(song, listening)
        self._show_shape(song)
        has_beats = len(song.beats) > 1
        if not self._near.hasFocus():
            self._near.show_value(round(song.tempo, 1) or _USUAL_TEMPO)
        for correction in (self._half, self._double, self._even, self._later, self._again):
            correction.setEnabled(has_beats and not song.is_locked)
        for field in (self._tempo, self._per_bar):
            field.setEnabled(not song.is_locked)
        self._lock.setChecked(song.is_locked)
        self._lock.setText("Locked" if song.is_locked else "Lock")
        beats = next((p.id for p in self._editor.project.pulses if p.unit is PulseUnit.BEAT), None)
        self._ticks.setChecked(beats is not None and beats in self._editor.ticking)
        self._ticks.setEnabled(has_beats)

    def _show_shape(self, song: Song) -> None:
        whole = self._editor.whole
        length = file_duration(song, whole.samples.duration if whole is not None else None)
        for field in (self._from, self._to):
            field.show_limits(0, length)
        self._from.show_value(round(song.start, 3))
        self._to.show_value(round(song.start + song.duration, 3))
        self._sound.show(song)
        self._fade_picture.show_bend(song.fade_bend)
        self._picture_fades.show(self._editor.project.fades)
        self._picture_bend.show_bend(self._editor.project.fades.bend)
        for widget in (self._from, self._to, self._fade_in, self._fade_out, self._gain, self._fade_picture):
            widget.setEnabled(not song.is_locked)

    def _show_others(self, song: Song, listening: Listening | None) -> None:
        others = _others_of(song, listening)
        for number, choice in enumerate(self._others):
            choice.setVisible(number < len(others))
            if number < len(others):
                other = others[number]
                choice.setText(f"{_difference(other, song)} · {other.share:.0%}")
                choice.setEnabled(not song.is_locked)
        for number, line in enumerate(self._others_lines):
            line.setVisible(len(others) > 2 * number)

    def _tempo_row(self) -> QWidget:
        self._tempo = number_field("Tempo", low=0, high=400, unit="BPM", decimals=2, step=0.1)
        self._tempo.setFixedWidth(104)
        self._tempo.edited.connect(
            lambda tempo: self._correct(lambda p: set_tempo(p, tempo, anchor=self._anchor()), "tempo")
        )
        self._half = button("Half", "Keep every other beat", lambda: self._correct(halve_beats, "half"))
        self._double = button(
            "Double", "Add a beat between every two", lambda: self._correct(double_beats, "double")
        )
        self._even = button(
            "Even out",
            "Lay the beats on one constant tempo, as close to where they are as it can be",
            lambda: self._correct(hold_tempo, "evening out"),
        )
        return row("Tempo", self._tempo, self._even)

    def _again_row(self) -> QWidget:
        self._again = button(
            "This stave again",
            "Listen once more to the stave under the playhead, or to the loop, near this tempo",
            lambda: self.listen_asked.emit(self._near.value()),
        )
        self._near = number_field("Near this tempo", low=20, high=400, unit="BPM", decimals=1)
        self._near.setFixedWidth(92)
        return row("Listen to", self._again, label("near"), self._near)

    def _beats_row(self) -> QWidget:
        return row("Correct", self._half, self._double, self._later)

    def _bars_row(self) -> QWidget:
        self._per_bar = limited_field(Beat, "place", "Beats to the bar")
        self._per_bar.setFixedWidth(48)
        self._per_bar.setToolTip(
            "Beats to the bar, through the whole song; a beat's bench sets it from there on"
        )
        self._per_bar.edited.connect(
            lambda number: self._correct(lambda p: set_beats_per_bar(p, round(number)), "beats to the bar")
        )
        self._later = button(
            "Shift downbeat",
            "Let every bar begin a beat later",
            lambda: self._correct(shift_one, "shift of the downbeat"),
        )
        self._bars_note = label("")
        return row("Bars of", self._per_bar, self._bars_note)

    def _others_rows(self) -> tuple[QWidget, ...]:
        self._others = [
            button("", "Take these beats and bars instead", partial(self._take_other, number))
            for number in range(_MOST_OTHERS)
        ]
        self._others_lines = (row("Other readings", *self._others[:2]), row("", *self._others[2:]))
        return self._others_lines

    def _shape_rows(self) -> list[QWidget]:
        self._from = _seconds_field("Begin at", "of its file")
        self._to = _seconds_field("End at", "of its file")
        self._from.edited.connect(lambda _: self._trim())
        self._to.edited.connect(lambda _: self._trim())
        fields = self._sound = StructFields(Song, self._shape_song)
        self._fade_in = fields.number("fade_in", "Fade in", "s", decimals=2, step=0.25)
        self._fade_out = fields.number("fade_out", "Fade out", "s", decimals=2, step=0.25)
        self._gain = fields.number("gain", "Gain", "dB", decimals=1, step=0.5)
        self._fade_picture = FadePicture()
        self._fade_picture.bent.connect(lambda bend: self._shape_song(fade_bend=bend, gesture="fade"))
        self._fade_picture.released.connect(self._editor.end_gesture)
        shown = self._picture_fades = StructFields(Fades, self._fade_pictures)
        words = "Fade of the picture from black", "Fade of the picture to black"
        picture_in, picture_out = (
            shown.number(name, text, "s", decimals=2, step=0.25)
            for name, text in zip(("fade_in", "fade_out"), words, strict=True)
        )
        self._picture_bend = FadePicture()
        self._picture_bend.setAccessibleName("Shape of the fades of the picture")
        self._picture_bend.bent.connect(lambda bend: self._fade_pictures(bend=bend, gesture="fade"))
        self._picture_bend.released.connect(self._editor.end_gesture)
        return [
            row("From, to", self._from, label("to"), self._to),
            row("Sound fades", label("in"), self._fade_in, label("out"), self._fade_out, self._fade_picture),
            row("Picture fades", label("in"), picture_in, label("out"), picture_out, self._picture_bend),
            row("Gain", self._gain),
        ]

    def _trim(self) -> None:
        start, end = self._from.value(), self._to.value()
        whole = self._editor.whole

        def edit(project: Project) -> Project:
            trimmed = trim_song(project, start, end)
            if whole is None or trimmed.song is None:
                return trimmed
            return with_heard_bands(
                trimmed, whole.used_by(trimmed.song).listening.levels, whole.listening.levels
            )

        self._correct(edit, "trim")

    def _fade_pictures(self, *, gesture: str | None = None, **changes: float) -> None:
        self._editor.apply(lambda p: change_fades(p, **changes), "fades of the picture", gesture=gesture)
        self.refresh()

    def _shape_song(self, *, gesture: str | None = None, **changes: float) -> None:
        self._editor.apply(lambda p: shape_song(p, **changes), "shape of the song", gesture=gesture)
        self.refresh()

    def _form_row(self, form: FormDesk) -> QWidget:
        tips = (
            "A part begins at the bar line nearest to the playhead (Ctrl + U)",
            "A drop on the beat nearest to the playhead, or none (Shift + V)",
        )
        split = button("Split here", tips[0], form.split)
        drop = button("Drop here", tips[1], form.toggle_drop)
        self._as_heard = button("As heard", "Forget what was set of parts and drops", form.as_heard)
        return row("", split, drop, self._as_heard)

    def _checks_row(self) -> QWidget:
        self._ticks = button(
            "Tick", "Hear a tick on every beat, never in the export (Shift + T)", self.toggle_ticks
        )
        self._ticks.setCheckable(True)
        self._lock = button("Lock", "Keep beats and song as they are", self._toggle_lock)
        self._lock.setCheckable(True)
        self._checks = row("Check", self._ticks, self._lock)
        return self._checks

    def toggle_ticks(self) -> None:
        """Have a tick heard on every beat, or no longer."""
        made: list[bool] = []

        def edit(project: Project) -> Project:
            changed, pulse = ensure_pulse(project, PulseUnit.BEAT)
            made.append(pulse in self._editor.ticking)
            self._editor.set_ticking(self._editor.ticking ^ {pulse})
            return changed

        self._editor.apply(edit, "pulse of beats")
        self.refresh()

    def _toggle_lock(self) -> None:
        song = self._editor.project.song
        if song is not None:
            self._editor.apply(lambda p: lock_song(p, is_locked=not song.is_locked), "lock")

    def _take_other(self, number: int) -> None:
        song, heard = self._editor.project.song, self._editor.heard
        others = _others_of(song, heard.listening if heard is not None else None) if song else []
        if number < len(others):
            beats = others[number].beats
            self._correct(lambda p: take_reading(p, beats), "other reading")

    def _correct(self, edit: Callable[[Project], Project], text: str) -> None:
        self._editor.apply(edit, f"{text} of the song" if " " not in text else text)
        self.refresh()

    def _anchor(self) -> float | None:
        """Return the beat that a tempo set by hand goes through: the selected one, or the first downbeat."""
        beat = self._editor.selected_beat()
        if beat is not None:
            return beat.time
        song = self._editor.project.song
        if song is not None and not song.beats:
            return frame_start(self._editor.playhead, self._editor.project.rate)
        return None


def _seconds_field(name: str, of_what: str) -> NumberField:
    made = limited_field(Song, "start", name, "s", decimals=3, step=0.1)
    made.setToolTip(f"{name} this second {of_what}")
    made.setFixedWidth(96)
    return made


def _metre(beats: Sequence[Beat]) -> int:
    return max((beat.place for beat in beats), default=4)


def _others_of(song: Song, listening: Listening | None) -> list[OtherReading]:
    """Return what the song could be read as instead, the likeliest first: also as it was heard at first."""
    if listening is None or not listening.beats:
        return []
    metre = listening.beats_per_bar
    first = OtherReading(
        listening.beats, listening.tempo, metre, listening.confidence * listening.metre_confidence
    )
    readings = sorted((first, *listening.others), key=lambda one: -one.share)
    return [one for one in readings if not _is_taken(one, song)][:_MOST_OTHERS]


def _is_taken(reading: OtherReading, song: Song) -> bool:
    """Whether the song has these beats and bars."""
    n_beats = len(song.beats)
    inside = [beat for beat in reading.beats if song.start <= beat.time < song.start + song.duration]
    return len(inside) == n_beats and all(
        abs(one.time - song.start - other.time) < _SAME_SECONDS and one.place == other.place
        for one, other in zip(inside, song.beats, strict=True)
    )


def _difference(reading: OtherReading, song: Song) -> str:
    """Return in what a reading differs from the song's beats: tempo, place in the beat, bars."""
    if not song.tempo or abs(reading.tempo / song.tempo - 1) > _SAME_TEMPO:
        return f"{reading.tempo:.0f} BPM in {reading.beats_per_bar}"
    times = [beat.time for beat in song.beats]
    own = [beat for beat in reading.beats if song.start <= beat.time < song.start + song.duration]
    shifts = [min((beat.time - song.start - time for time in times), key=abs) for beat in own[:_COMPARED]]
    share = abs(median(shifts)) * song.tempo / 60 if shifts else 0.0
    if share > _LEAST_SHIFT:
        return next(words for least, words in _SHIFTS if share > least)
    metre = _metre(song.beats)
    if reading.beats_per_bar != metre:
        return f"bars of {reading.beats_per_bar}"
    place = next((beat.place for beat in own), 1) - next((beat.place for beat in song.beats), 1)
    return f"bars {-place % metre} later"


def _drums_text(drums: Drums) -> str:
    """Return how many hits each drum has and how sure they are, or what stands in for it."""
    texts = []
    for number, drum in enumerate(DRUMS):
        band = drums.stand_in(drum)
        if band:
            texts.append(f"{drum}: not heard surely, {_many(len(drums.heard(band)), f'{band} hit')} instead")
        elif drums.heard(drum):
            sure = f", {drums.confidence[number]:.0%} sure" if drums.confidence[number] < 1 else ""
            texts.append(f"{_many(len(drums.heard(drum)), drum)}{sure}")
    return "\n".join(texts) or "none were heard"


def _player(song: Song) -> str:
    """Return between which tempi a player wandered, leaving out the oddest beats."""
    gaps = [after.time - before.time for before, after in pairwise(song.beats)]
    if len(gaps) < 8:
        return "a player's"
    tenths = quantiles(gaps, n=10)
    return f"a player's: {60 / tenths[-1]:.0f} to {60 / tenths[0]:.0f} BPM"


def _many(number: int, thing: str) -> str:
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"
