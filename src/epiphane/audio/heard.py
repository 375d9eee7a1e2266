"""The result of listening to a song. Kept apart from the listening itself, which takes a second to import."""

from msgspec import Struct
from msgspec.structs import replace

from epiphane.audio.band_levels import LEVELS_PER_SECOND, SongLevels
from epiphane.audio.samples import Samples
from epiphane.audio.song_gain import shaped_song
from epiphane.document.song import Beat, Drums, Section, Song
from epiphane.types import Float32Array

COLUMNS_PER_SECOND = 200


class OtherReading(Struct, frozen=True):
    """Other beats and bars that people might tap, in seconds of the file, and the share of belief, 0 to 1."""

    beats: tuple[Beat, ...]
    tempo: float
    beats_per_bar: int
    share: float


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
        What the user should know, in a sentence, or nothing.
    drums : Drums
    sections : tuple of Section, from the first beat to the end
    drops : seconds
    others : tuple of OtherReading
        What the song could be read as instead, the likeliest first.
    confidence : float, 0 to 1
        The share of the belief in these beats among all readings.
    metre_confidence : float, 0 to 1
        The share of the belief in these bars.
    levels : SongLevels or None
        What hits of a band are looked for in; None where nothing sounds.
    """

    duration: float
    tempo: float
    is_steady: bool
    beats: tuple[Beat, ...]
    waveform: Float32Array
    remark: str = ""
    drums: Drums = Drums()
    sections: tuple[Section, ...] = ()
    drops: tuple[float, ...] = ()
    others: tuple[OtherReading, ...] = ()
    confidence: float = 0.0
    metre_confidence: float = 0.0
    levels: SongLevels | None = None

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

    def used_by(self, song: Song) -> "HeardSong":
        """Return the part of the file that a project's song uses, trimmed, faded and at its gain."""
        found, samples = self.listening, self.samples
        shaped = shaped_song(samples.data, samples.rate, song)
        columns = _span(song, COLUMNS_PER_SECOND)
        levels = found.levels
        if levels is not None:
            bands = levels.bands[:, _span(song, LEVELS_PER_SECOND)]
            levels = SongLevels(bands, levels.centres, levels.rises[_span(song, 1000)])
        return replace(
            self,
            samples=Samples(shaped, samples.rate, samples.remark),
            listening=replace(found, waveform=found.waveform[columns], levels=levels),
        )

    def as_song(self) -> Song:
        """Return what a project keeps of it."""
        found = self.listening
        return Song(
            path=self.path,
            fingerprint=self.fingerprint,
            duration=found.duration,
            tempo=found.tempo,
            is_steady=found.is_steady,
            beats=found.beats,
            drums=found.drums,
            sections=found.sections,
            drops=found.drops,
        )


def _span(song: Song, per_second: int) -> slice:
    first = round(song.start * per_second)
    return slice(first, first + round(song.duration * per_second) + 1)
