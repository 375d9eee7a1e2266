"""The player of the selected clip: frame stepping and playback with its own sound."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.selection import FootageSelection
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.engine.sound import PlayBuffer
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.document.footage import Footage, FootageKind
from epiphane.errors import MediaError
from epiphane.timing import seconds_to_sample
from epiphane.types import Float32Array, Picture, Progress, Size
from epiphane.wording import tr

_TICK_MILLISECONDS = 8


class ClipPlayer(QObject):
    """Shows the selected footage.

    Signals
    -------
    shown(picture: Picture or None, words: str)
        A frame of the clip, and which it is; None when the project is to be seen again.
    moved()
        Another instant of the clip, or it plays or has stopped.
    """

    shown = pyqtSignal(object, str)
    moved = pyqtSignal()

    def __init__(self, editor: Editor, skimmer: Skimmer, jobs: Jobs, playback: Playback) -> None:
        super().__init__()
        self._playback = playback
        self._editor = editor
        self._skimmer = skimmer
        self._jobs = jobs
        self._sound: Float32Array | None = None
        self._sound_of = ""
        self._started_at = 0.0
        self._is_playing = False
        self._guest: Footage | None = None
        self.size: Size = (480, 270)
        self.seconds = 0.0
        self._shown_footage: object = None
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK_MILLISECONDS)
        self._timer.timeout.connect(self._tick)
        skimmer.drawn.connect(self._on_drawn)
        editor.selection_changed.connect(self._on_selection)

    @property
    def is_playing(self) -> bool:
        """Whether the clip plays."""
        return self._is_playing

    @property
    def footage(self) -> Footage | None:
        """The selected clip."""
        is_selected = isinstance(self._editor.selection, FootageSelection)
        return self._editor.chosen.footage if is_selected else None

    def toggle(self) -> None:
        """Play the clip from where it is, or stop."""
        if self._is_playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        """Play the clip, from the start of its used part if it is at the end."""
        footage = self.footage
        if footage is None or footage.kind is FootageKind.STILL:
            return
        self._playback.stop()
        if self.seconds >= footage.end - 1.5 / float(footage.rate):
            self.seconds = footage.used_from
        if footage.has_sound and self._sound_of != footage.fingerprint:
            self._read_sound(footage)
            return
        self._started_at = self.seconds
        sound = self._sound if self._sound_of == footage.fingerprint else None
        reel = PlayBuffer(
            np.zeros((SOUND_RATE, 2), np.float32) if sound is None else sound, self._sample(), None
        )
        self._is_playing = True
        self._playback.device.start(reel)
        self._timer.start()
        self.moved.emit()

    def stop(self) -> None:
        """Stop where it is."""
        if self._is_playing:
            self._is_playing = False
            self._timer.stop()
            self._playback.device.stop()
            self.moved.emit()

    def go_to(self, seconds: float) -> None:
        """Show another instant of the selected clip."""
        footage = self.footage
        if footage is None:
            return
        was_playing = self._is_playing
        self.stop()
        last = max(0.0, footage.duration - 1 / float(footage.rate))
        self.seconds = min(max(0.0, seconds), last)
        self._ask(footage, self.seconds)
        self.moved.emit()
        if was_playing:
            self.play()

    def step(self, n_frames: int) -> None:
        """Go some frames of the clip on, or back."""
        footage = self.footage
        if footage is not None:
            picture = round(self.seconds * float(footage.rate)) + n_frames
            self.go_to(picture / float(footage.rate))

    def peek(self, footage: Footage, seconds: float) -> None:
        """Show a frame of some footage while the pointer is over it."""
        if not self._is_playing:
            self._guest = footage
            self._ask(footage, seconds)

    def end_peek(self) -> None:
        """Show again what was shown before."""
        self._guest = None
        footage = self.footage
        if footage is None:
            self.shown.emit(None, "")
        elif not self._is_playing:
            self._ask(footage, self.seconds)

    def close(self) -> None:
        """Stop."""
        self.stop()

    def _ask(self, footage: Footage, seconds: float) -> None:
        if footage.kind is not FootageKind.SOUND:
            self._skimmer.ask(footage, seconds, self.size)

    def _on_drawn(self, frame: Skimmed) -> None:
        wanted = self._guest or self.footage
        if wanted is not None and frame.key == wanted.id:
            picture: Picture = frame.picture
            number = round(frame.seconds * float(wanted.rate))
            words = (
                ""
                if wanted.kind is FootageKind.STILL
                else tr("{seconds:.2f} s · frame {number}", seconds=frame.seconds, number=number)
            )
            self.shown.emit(picture, words)

    def _on_selection(self) -> None:
        footage = self.footage
        if (None if footage is None else footage.id) == self._shown_footage:
            return
        self.stop()
        self._guest = None
        self._shown_footage = None if footage is None else footage.id
        if footage is None:
            self.shown.emit(None, "")
            return
        best = footage.best_moment
        self.seconds = footage.used_from if best is None else best.time
        self._ask(footage, self.seconds)
        self.moved.emit()

    def _read_sound(self, footage: Footage) -> None:
        """Read the clip's sound, and then play."""

        def work(_progress: Progress) -> Float32Array | None:
            try:
                return resampled_stereo(read_samples(Path(footage.path)), SOUND_RATE)
            except MediaError:
                return None  # it plays all the same

        def done(sound: Float32Array | None) -> None:
            self._sound, self._sound_of = sound, footage.fingerprint
            if self.footage is not None and self.footage.fingerprint == footage.fingerprint:
                self.play()

        self._jobs.start(
            "clip sound", tr("Reading the sound of {name}", name=Path(footage.path).name), work, done=done
        )

    def _sample(self) -> int:
        return seconds_to_sample(self.seconds, SOUND_RATE)

    def _tick(self) -> None:
        footage = self.footage
        heard = self._playback.device.heard_seconds()
        if footage is None or heard is None:
            return
        seconds = self._started_at + heard
        if seconds >= footage.end:
            self.seconds = max(0.0, footage.end - 1 / float(footage.rate))
            self.stop()
        elif int(seconds * float(footage.rate)) != int(self.seconds * float(footage.rate)):
            self.seconds = seconds
            self._ask(footage, seconds)
            self.moved.emit()
