"""What was heard in a song. Kept apart from the hearing, which takes a second to load."""

from msgspec import Struct

from epiphane.audio.samples import Samples
from epiphane.document.model import Beat, Song
from epiphane.types import Float32Array

COLUMNS_PER_SECOND = 200


class Listening(Struct, frozen=True, eq=False):
    """What was heard in a song.

    Attributes
    ----------
    duration : float, seconds
    tempo : float, BPM, 0 where there is no beat
    is_steady : bool
        Whether the beats are an exact constant grid.
    beats : tuple of Beat
        Times rounded to a microsecond, ascending.
    waveform : float32, shape (n_columns, 3)
        See `waveform_columns`.
    remark : str
        What the editor should know, in a sentence, or nothing.
    """

    duration: float
    tempo: float
    is_steady: bool
    beats: tuple[Beat, ...]
    waveform: Float32Array
    remark: str = ""

    @property
    def beats_per_bar(self) -> int:
        """The greatest place of a beat in its bar; 4 where there is no beat."""
        return max((beat.place for beat in self.beats), default=4)


class HeardSong(Struct, frozen=True, eq=False):
    """A song: what it is, its sound, and what was heard in it."""

    path: str
    fingerprint: str
    samples: Samples
    listening: Listening

    def as_song(self) -> Song:
        """Return what a project keeps of it."""
        found = self.listening
        return Song(self.path, self.fingerprint, found.duration, found.tempo, found.is_steady, found.beats)
