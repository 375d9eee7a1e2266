"""Commands of pulses: make them, tap them, and move single taps."""

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.control.attacks import attack_near
from epiphane.desk.control.beats import STEP_SECONDS
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.control.steps import move_chosen_tap, select_tap_near
from epiphane.desk.control.taps import (
    CLICK_TEMPO,
    N_CLICKS,
    measured_delay,
    snapped_to_attacks,
    snapped_to_beats,
    taken_taps,
)
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.sound import PlayBuffer, open_sound
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.desk.engine.ticks import with_ticks
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
from epiphane.document.song import Hit
from epiphane.edits.keying.pulses import add_pulse, add_taps, change_pulse
from epiphane.edits.song.taps import remove_tap, set_tap_strength
from epiphane.errors import EditError
from epiphane.files.settings import keep_settings, read_settings
from epiphane.timing import frame_start
from epiphane.wording import plural, tr

_BAND = BandSource(low=40.0, high=120.0, threshold=0.9)
_LEAD_SECONDS = 0.6
_USUAL_TEMPO = 120.0


class PulseDesk(QObject):
    """What the user does with pulses and taps, beside changing their values on the bench.

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
        """Make a pulse of a kind (band, tapped, tempo, combined, or a unit of the grid), and select it."""
        made: list[PulseId] = []

        def edit(project: Project) -> Project:
            project, pulse = add_pulse(project, self._source(project, kind))
            made.append(pulse)
            return project

        if self._editor.apply(edit, tr("new pulse")):
            self._editor.select(PulseSelection(made[-1]))

    def _source(self, project: Project, kind: str) -> Source:
        song = project.song
        if kind == "band":
            levels = self._editor.heard.listening.levels if self._editor.heard is not None else None
            if levels is None:
                raise EditError(tr("a band needs a song that sounds: open a song first."))
            return hits_in_band(levels, _BAND)
        if kind == "tapped":
            return TappedSource()
        if kind == "tempo":
            start = frame_start(self._editor.playhead, project.rate)
            return TempoSource(
                song.tempo if song is not None and song.tempo else _USUAL_TEMPO, round(start, 3)
            )
        if kind == "combined":
            if len(project.pulses) < 2:
                raise EditError(tr("there are not two pulses yet to make one of."))
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
            self._editor.said.emit(tr("Press T on every hit. Space ends it."), False)

    def tap(self) -> None:
        """Take this instant as a tap: of the delay that is measured, or of the song that plays."""
        if self.measuring is not None:
            self.measuring.tap()
            return
        heard = self._playback.heard_now()
        if heard is None:
            self._editor.said.emit(
                tr("Taps are taken while it plays: press Space, then T on every hit."), False
            )
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
        pulse, heard = self._editor.chosen.pulse, self._editor.heard
        song = self._editor.project.song
        if pulse is None or not isinstance(pulse.source, TappedSource):
            return
        hits: tuple[Hit, ...] = pulse.source.hits
        if to == "attacks" and heard is not None and heard.listening.levels is not None:
            hits = snapped_to_attacks(hits, heard.listening.levels)
        elif to == "beats" and song is not None:
            hits = snapped_to_beats(hits, song)
        self._editor.apply(
            lambda p: change_pulse(p, pulse.id, source=TappedSource(hits)), tr("snap of taps to {to}", to=to)
        )

    def measure_delay(self) -> None:
        """Play clicks and take taps, and keep how late they come."""
        self._playback.stop()
        self.measuring = Measuring(self._delay_done)
        self.delay_measured.emit(tr("press T with the clicks"))
        self._editor.said.emit(tr("Press T along with the {n_clicks} clicks.", n_clicks=N_CLICKS), False)

    def _delay_done(self, delay: float | None) -> None:
        self.measuring = None
        if delay is None:
            self.delay_measured.emit(tr("too few or too scattered taps"))
            self._editor.said.emit(
                tr("The delay could not be measured: press T evenly along with at least eight clicks."), True
            )
            return
        kept = keep_settings(replace(read_settings(), tap_delay=delay))
        self.delay_measured.emit(tr("{delay:.0f} ms", delay=1000 * delay))
        text = tr("Your taps come {delay:.0f} ms late; that is taken off from now on", delay=1000 * delay)
        self._editor.said.emit(
            f"{text}." if kept else tr("{words}, but could not be kept for next time.", words=text), not kept
        )

    def _tapped(self) -> PulseId | None:
        pulse = self._editor.chosen.pulse
        return pulse.id if pulse is not None and isinstance(pulse.source, TappedSource) else None

    def _on_playback(self) -> None:
        if not self._playback.is_playing and self._n_taps:
            taps = plural(self._n_taps, "One tap was", "{} taps were")
            self._n_taps = 0
            self._editor.end_gesture()
            self._editor.said.emit(
                tr("{taps} taken; “To attacks” and “To beats” on the bench move them.", taps=taps), False
            )

    # One tap

    def nudge_tap(self, direction: int) -> None:
        """Move the selected tap by 5 ms."""
        tap = self._editor.chosen.tap
        if tap is not None:
            move_chosen_tap(self._editor, max(0.0, tap.time + direction * STEP_SECONDS))

    def tap_to_attack(self) -> None:
        """Move the selected tap onto the attack beside it."""
        tap = self._editor.chosen.tap
        near = None if tap is None else attack_near(self._editor.heard, tap.time)
        if near is not None:
            move_chosen_tap(self._editor, near)

    def remove_tap(self) -> None:
        """Remove the selected tap alone; the one after it, else the one before, is selected."""
        pulse, gone = self._editor.selection.pulse, self._editor.chosen.tap
        if pulse is not None and gone is not None:
            time = gone.time
            self._editor.apply(lambda p: remove_tap(p, pulse, time), tr("removal of a tap"))
            select_tap_near(self._editor, pulse, time)

    def set_tap_strength(self, strength: float) -> None:
        """Have the selected tap as strong as this, 0 to 1."""
        pulse, tap = self._editor.selection.pulse, self._editor.chosen.tap
        if pulse is not None and tap is not None:
            self._editor.apply(
                lambda p: set_tap_strength(p, pulse, tap.time, strength), tr("strength of a tap")
            )

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
