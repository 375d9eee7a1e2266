"""The sound of shots under the song while it plays: mixed in the background when it has changed."""

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.audio.accents import with_accents
from epiphane.audio.mix import decibels_too_loud, mixed_with_shots, peak_of, read_sounds
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.facts.heard import heard_items
from epiphane.keying.accent_hits import accent_hits
from epiphane.types import Float32Array, Progress
from epiphane.wording import tr

_REST_MILLISECONDS = 150


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
        accents = accent_hits(project, self._editor.cues)
        key = (items, accents, project.rate, id(song))
        if key == self._mixed_of:
            return
        self._mixed_of = key
        if (not items and not accents) or song is None:
            self._sounds = {}
            self._show(None, 0.0)
            return

        kept = self._sounds

        def work(progress: Progress) -> tuple[Float32Array, float, dict[str, Float32Array]]:
            sounds = read_sounds(project, SOUND_RATE, kept=kept, progress=progress)
            made = mixed_with_shots(song, project, sounds, SOUND_RATE)
            made = with_accents(made, accents, SOUND_RATE, sounds)
            return made, peak_of(made), sounds

        def done(result: tuple[Float32Array, float, dict[str, Float32Array]]) -> None:
            made, peak, self._sounds = result
            if key == self._mixed_of:
                self._show(made, peak)

        self._jobs.start("mix", tr("Mixing the sound of shots"), work, done=done)

    def _show(self, mix: Float32Array | None, peak: float) -> None:
        self._playback.set_mix(mix)
        self.peak_changed.emit(peak)
        over = decibels_too_loud(peak)
        if over and not self._has_warned:
            self._editor.said.emit(
                tr(
                    "The mix is {over:.1f} dB too loud and clips: take the gain of shots or of the song down",
                    over=over,
                ),
                True,
            )
        self._has_warned = over > 0
