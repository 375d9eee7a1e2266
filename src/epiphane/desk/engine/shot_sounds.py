"""The sound of shots under the song while it plays: mixed in the background when it has changed."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.audio.mix import heard_items, mixed_with_shots, peak_of
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.playback import Playback
from epiphane.desk.engine.sound import SOUND_RATE
from epiphane.document.footage import Footage
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.errors import MediaError
from epiphane.types import Float32Array, Progress

_REST_MILLISECONDS = 150
_CLIPS = 1.0005
"""A level over what can be written, and over the rounding of a song that is as loud as it can be."""


class ShotSounds(QObject):
    """Keeps the mix that is played up to date.

    Signals
    -------
    peak_changed(peak: float)
        The largest level of the mix; over 1 it clips. 0 where no shot is heard.
    """

    peak_changed = pyqtSignal(float)

    def __init__(self, editor: Editor, jobs: Jobs, playback: Playback) -> None:
        super().__init__()
        self._editor, self._jobs, self._playback = editor, jobs, playback
        self._sounds: dict[str, Float32Array] = {}
        self._mixed_of: object = None
        self._has_warned = self._is_closed = False
        self._mixing = debounced(self, _REST_MILLISECONDS, self._mix)
        editor.project_changed.connect(self._on_change)
        editor.song_changed.connect(self._on_change)

    def close(self) -> None:
        """Mix nothing any more."""
        self._is_closed = True
        self._mixing.stop()

    def _on_change(self) -> None:
        if not self._is_closed:
            self._mixing.start()

    def _mix(self) -> None:
        project, song = self._editor.project, self._playback.song_sound
        items = tuple(heard_items(project))
        key = (items, project.rate, id(song))
        if key == self._mixed_of:
            return
        self._mixed_of = key
        if not items or song is None:
            self._sounds.clear()
            self._show(None, 0.0)
            return

        def work(progress: Progress) -> tuple[Float32Array, float, dict[str, Float32Array]]:
            sounds = self._read(project, progress)
            by_id = {footage.id: sounds[footage.fingerprint] for _, footage in items}
            made = mixed_with_shots(song, project, by_id, SOUND_RATE)
            return made, peak_of(made), sounds

        def done(result: tuple[Float32Array, float, dict[str, Float32Array]]) -> None:
            made, peak, self._sounds = result
            if key == self._mixed_of:
                self._show(made, peak)

        self._jobs.start("mix", "Mixing the sound of shots", work, done=done)

    def _read(self, project: Project, progress: Progress) -> dict[str, Float32Array]:
        """Return the sound of all footage that is heard, by its fingerprint; what was read is kept."""
        footage: dict[FootageId, Footage] = {one.id: one for _, one in heard_items(project)}
        made: dict[str, Float32Array] = {}
        for number, one in enumerate(footage.values()):
            found = self._sounds.get(one.fingerprint)
            try:
                made[one.fingerprint] = (
                    resampled_stereo(read_samples(Path(one.path)), SOUND_RATE) if found is None else found
                )
            except MediaError:
                made[one.fingerprint] = np.zeros((0, 2), np.float32)
            progress((number + 1) / len(footage))
        return made

    def _show(self, mix: Float32Array | None, peak: float) -> None:
        self._playback.set_mix(mix)
        self.peak_changed.emit(peak)
        clips = peak > _CLIPS
        if clips and not self._has_warned:
            over = 20 * np.log10(peak)
            self._editor.said.emit(
                f"The mix is {over:.1f} dB too loud and clips: take the gain of shots or of the song down",
                True,
            )
        self._has_warned = clips
