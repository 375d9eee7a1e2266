"""What is kept of a rendered song for training: what was heard of it, and what is true."""

from dataclasses import dataclass, replace

import numpy as np

from epiphane.audio.beat_tracking import Analysis, Followed, analyse, follow
from epiphane.audio.onset import Onsets
from epiphane.audio.spectrum import Bands
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND, DrumSpectrum, describe_strokes, find_strokes
from epiphane.audio.tempo import TempoCurve
from epiphane.types import BoolArray, Float32Array, FloatArray, IntArray
from training.kit import RATE
from training.song import RenderedSong

LABELS = {
    "kick": ("kick",),
    "snare": ("snare", "clap"),
    "hat": ("hat", "open"),
    "cymbal": ("ride", "crash"),
    "tom": ("tom",),
    "clap": ("clap",),
    "open": ("open",),
    "crash": ("crash",),
}
_MATCH_SECONDS, _LATE_SECONDS = 0.025, 0.004


@dataclass(frozen=True)
class Studied:
    """A song without its sound.

    Attributes
    ----------
    struck : bool, shape (n_strokes, 8)
        Which of `LABELS` each stroke is in truth.
    """

    song: RenderedSong
    style: str
    onsets: Onsets
    tempo: TempoCurve
    attacks: Float32Array
    harmony: Float32Array
    drums: DrumSpectrum
    followed: Followed | None
    strokes: IntArray
    features: Float32Array
    struck: BoolArray

    @property
    def duration(self) -> float:
        """Seconds."""
        return len(self.drums.levels) / STROKE_HOPS_PER_SECOND


def heard_analysis(kept: Studied) -> Analysis:
    """Return the analysis of a song without its sound: what the learned stages look at is there."""
    nothing = Bands(np.zeros((0, 0), np.float32), np.zeros(0))
    harmony = Bands(kept.harmony.astype(np.float32), np.zeros(kept.harmony.shape[1]))
    return Analysis(
        kept.duration,
        RATE,
        np.zeros(0, np.float32),
        nothing,
        harmony,
        kept.drums,
        kept.onsets,
        kept.tempo,
        kept.attacks,
    )


def study(song: RenderedSong, style: str) -> Studied:
    """Listen to a song as far as nothing learned is needed."""
    analysis = analyse(song.sound, RATE)
    strokes = find_strokes(analysis.drums)
    return Studied(
        song=replace(song, sound=np.zeros(0, np.float32)),
        style=style,
        onsets=analysis.onsets,
        tempo=analysis.tempo,
        attacks=analysis.attacks,
        harmony=analysis.harmony.levels.astype(np.float16),
        drums=analysis.drums,
        followed=follow(analysis) if analysis.has_beat else None,
        strokes=strokes,
        features=describe_strokes(analysis.drums, strokes),
        struck=_struck(strokes / STROKE_HOPS_PER_SECOND, song),
    )


def _struck(times: FloatArray, song: RenderedSong) -> BoolArray:
    found = np.zeros((len(times), len(LABELS)), bool)
    if len(times) == 0:
        return found
    for column, drums in enumerate(LABELS.values()):
        for hit in (time for drum in drums for time in song.hits[drum]):
            nearest = int(np.abs(times - hit - _LATE_SECONDS).argmin())
            if abs(times[nearest] - hit - _LATE_SECONDS) <= _MATCH_SECONDS:
                found[nearest, column] = True
    return found
