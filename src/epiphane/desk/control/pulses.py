"""Pulse commands: make, tap, snap taps, and step through doubtful beats."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import BeatSelection, PulseSelection
from epiphane.desk.control.taps import (
    CLICK_TEMPO,
    N_CLICKS,
    measured_delay,
    snapped_to_attacks,
    snapped_to_beats,
    taken_taps,
)
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.playback import Playback
from epiphane.desk.engine.sound import PlayBuffer, open_sound
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.desk.engine.ticks import with_ticks
from epiphane.desk.score.notes import DOUBTFUL
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    PulseUnit,
    Source,
    TappedSource,
    TempoSource,
)
from epiphane.document.song import Beat, Hit
from epiphane.edits.beats import accept_beat, add_beat, replace_beats
from epiphane.edits.pulses import add_pulse, add_taps, change_pulse
from epiphane.errors import EditError
from epiphane.files.settings import keep_settings, read_settings
from epiphane.timing import frame_at, frame_start
from epiphane.types import Progress

_BAND = BandSource(low=40.0, high=120.0, threshold=0.9)
_AROUND_SECONDS = 1.2
_LEAD_SECONDS = 0.6
_USUAL_TEMPO = 120.0


class PulseDesk(QObject):
    """What the user does with pulses and beats, beside changing their values on the bench.

    Signals
    -------
    delay_measured(text: str)
        What became of measuring the keyboard's delay.
    """

    delay_measured = pyqtSignal(str)

    def __init__(self, editor: Editor, playback: Playback, jobs: Jobs) -> None:
        super().__init__()
        self._editor = editor
        self._jobs = jobs
        self._playback = playback
        self._n_taps = 0
        self.measuring: Measuring | None = None
        playback.state_changed.connect(self._on_playback)

    # Making pulses

    def make(self, kind: str) -> None:
        """Make a pulse of a kind (band, tapped, tempo, blend, or a unit of the grid), and select it."""
        made: list[PulseId] = []

        def edit(project: Project) -> Project:
            project, pulse = add_pulse(project, self._source(project, kind))
            made.append(pulse)
            return project

        if self._editor.apply(edit, "new pulse"):
            self._editor.select(PulseSelection(made[-1]))

    def _source(self, project: Project, kind: str) -> Source:
        song = project.song
        if kind == "band":
            levels = self._editor.heard.listening.levels if self._editor.heard is not None else None
            if levels is None:
                raise EditError("a band needs a song that sounds: open a song first.")
            return hits_in_band(levels, _BAND)
        if kind == "tapped":
            return TappedSource()
        if kind == "tempo":
            start = frame_start(self._editor.playhead, project.rate)
            return TempoSource(
                song.tempo if song is not None and song.tempo else _USUAL_TEMPO, round(start, 3)
            )
        if kind == "blend":
            if len(project.pulses) < 2:
                raise EditError("there are not two pulses yet to make one of.")
            chosen = self._editor.selection.pulse or project.pulses[0].id
            other = next(pulse.id for pulse in project.pulses if pulse.id != chosen)
            return CombinedSource(Combination.EITHER, chosen, other)
        return HeardSource(PulseUnit(kind))

    # Tapping

    def start_tapping(self) -> None:
        """Play, from the playhead, for taps on the selected pulse."""
        if self._tapped() is None:
            self.make("tapped")
        if self._tapped() is not None and not self._playback.is_playing:
            self._n_taps = 0
            self._playback.play()
            self._editor.said.emit("Press T on every hit. Space ends it.", False)

    def tap(self) -> None:
        """Take this instant as a tap: of the delay that is measured, or of the song that plays."""
        if self.measuring is not None:
            self.measuring.tap()
            return
        heard = self._playback.heard_now()
        if heard is None:
            self._editor.said.emit("Taps are taken while it plays: press Space, then T on every hit.", False)
            return
        if self._tapped() is None:
            self.make("tapped")
        self._n_taps += 1
        pulse = self._tapped()
        if pulse is not None:
            hits = taken_taps([heard], read_settings().tap_delay)
            self._editor.apply(lambda p: add_taps(p, pulse, hits), "tapping", gesture="taps")

    def snap(self, to: str) -> None:
        """Move the taps of the selected pulse onto "attacks" or "beats"."""
        pulse, heard = self._editor.selected_pulse(), self._editor.heard
        song = self._editor.project.song
        if pulse is None or not isinstance(pulse.source, TappedSource):
            return
        hits: tuple[Hit, ...] = pulse.source.hits
        if to == "attacks" and heard is not None and heard.listening.levels is not None:
            hits = snapped_to_attacks(hits, heard.listening.levels)
        elif to == "beats" and song is not None:
            hits = snapped_to_beats(hits, song)
        self._editor.apply(
            lambda p: change_pulse(p, pulse.id, source=TappedSource(hits)), f"snap of taps to {to}"
        )

    def measure_delay(self) -> None:
        """Play clicks and take taps, and keep how late they come."""
        self._playback.stop()
        self.measuring = Measuring(self._delay_done)
        self.delay_measured.emit("press T with the clicks")
        self._editor.said.emit(f"Press T along with the {N_CLICKS} clicks.", False)

    def _delay_done(self, delay: float | None) -> None:
        self.measuring = None
        if delay is None:
            self.delay_measured.emit("too few or too scattered taps")
            self._editor.said.emit(
                "The delay could not be measured: press T evenly along with at least eight clicks.", True
            )
            return
        kept = keep_settings(replace(read_settings(), tap_delay=delay))
        self.delay_measured.emit(f"{1000 * delay:.0f} ms")
        text = f"Your taps come {1000 * delay:.0f} ms late; that is taken off from now on"
        self._editor.said.emit(
            f"{text}." if kept else f"{text}, but could not be kept for next time.", not kept
        )

    def _tapped(self) -> PulseId | None:
        pulse = self._editor.selected_pulse()
        return pulse.id if pulse is not None and isinstance(pulse.source, TappedSource) else None

    def _on_playback(self) -> None:
        if not self._playback.is_playing and self._n_taps:
            taps = "One tap was" if self._n_taps == 1 else f"{self._n_taps} taps were"
            self._n_taps = 0
            self._editor.end_gesture()
            self._editor.said.emit(
                f"{taps} taken; “To attacks” and “To beats” on the bench move them.", False
            )

    # Beats

    def step_doubtful(self, direction: int) -> None:
        """Select the next (1) or last (-1) doubtful beat and go round it."""
        song = self._editor.project.song
        beats: Sequence[Beat] = song.beats if song is not None else ()
        doubtful = [number for number, beat in enumerate(beats) if beat.confidence < DOUBTFUL]
        rate = self._editor.project.rate
        now = frame_start(self._editor.playhead, rate)
        here = self._editor.selected_beat()
        if here is not None and frame_at(here.time, rate) == self._editor.playhead:
            now = here.time
        after = [number for number in doubtful if (beats[number].time - now) * direction > 1e-3]
        if not after:
            text = "No more doubtful beats this way." if doubtful else "No beat is doubtful."
            self._editor.said.emit(text, False)
            self._playback.set_loop(None)
            return
        number = after[0 if direction > 0 else -1]
        self._go_round(number, beats[number].time)

    def accept(self) -> None:
        """Take the selected beat as right, and go to the next doubtful one."""
        number = self._editor.selection.beat
        if number is not None:
            self._editor.apply(lambda p: accept_beat(p, number), "accepting of a beat")
            self.step_doubtful(1)

    def listen_again(self, frames: tuple[int, int], tempo: float) -> None:
        """Listen once more to some frames (first, end), near a tempo in BPM, and take the beats found."""
        song, whole = self._editor.project.song, self._editor.whole
        if song is None or whole is None:
            return
        rate = self._editor.project.rate
        start, end = (frame_start(frame, rate) for frame in frames)

        def work(progress: Progress) -> tuple[Beat, ...]:
            from epiphane.audio.relisten import beats_between  # late: it loads much of SciPy

            found = beats_between(whole.samples, start + song.start, end + song.start, tempo=tempo)
            return tuple(replace(beat, time=max(0.0, beat.time - song.start)) for beat in found)

        def done(found: tuple[Beat, ...]) -> None:
            text = "listening again to a part"
            if self._editor.apply(lambda p: replace_beats(p, start, end, found), text):
                said = f"{len(found)} beats were heard from {start:.1f} to {end:.1f} s."
                self._editor.said.emit(said, False)

        self._jobs.start("beats", "Listening again", work, done=done)

    def add_beat(self) -> None:
        """Put a beat at the playhead, and select it."""
        time = frame_start(self._editor.playhead, self._editor.project.rate)
        if self._editor.apply(lambda p: add_beat(p, time), "adding of a beat"):
            song = self._editor.project.song
            numbers = [n for n, beat in enumerate(song.beats) if abs(beat.time - time) < 1e-5] if song else []
            self._editor.select(BeatSelection(numbers[0] if numbers else None))

    def _go_round(self, number: int, time: float) -> None:
        rate = self._editor.project.rate
        first = frame_at(max(0.0, time - _AROUND_SECONDS), rate)
        end = min(frame_at(time + _AROUND_SECONDS, rate), self._editor.project.n_frames)
        self._playback.set_loop(None)
        self._editor.select(BeatSelection(number))
        self._editor.go_to(frame_at(time, rate))
        self._playback.set_loop((first, end))
        beats = next((p.id for p in self._editor.project.pulses if p.unit is PulseUnit.BEAT), None)
        if beats is not None:
            self._editor.set_ticking(self._editor.ticking | {beats})

    def close(self) -> None:
        """Stop what sounds."""
        if self.measuring is not None:
            self.measuring.stop()


class Measuring:
    """Clicks that sound, and the taps along with them."""

    def __init__(self, done: Callable[[float | None], None]) -> None:
        self._done = done
        self._taps: list[float] = []
        self.clicks = _LEAD_SECONDS + np.arange(N_CLICKS) * 60 / CLICK_TEMPO
        seconds = float(self.clicks[-1]) + 1.0
        silence = np.zeros((round(seconds * SOUND_RATE), 2), np.float32)
        hits = tuple(Hit(float(click)) for click in self.clicks)
        self._device = open_sound()
        self._device.start(PlayBuffer(with_ticks(silence, SOUND_RATE, hits), 0))
        self._timer = QTimer()
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.stop)
        self._timer.start(round(1000 * (seconds + 0.5)))

    def tap(self) -> None:
        """Take this instant."""
        heard = self._device.heard_seconds()
        if heard is not None:
            self._taps.append(heard)

    def stop(self) -> None:
        """End it, and tell what was measured."""
        self._timer.stop()
        self._device.close()
        self._done(measured_delay(self.clicks, np.array(self._taps)))
