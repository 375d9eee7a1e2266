"""Confidence of each beat, by a learned network."""

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.attack import nearest_attacks
from epiphane.audio.onset import Onsets
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.audio.tempo import TEMPI, TempoCurve
from epiphane.types import Float32Array, FloatArray

_LONGEST_SECONDS = 0.03
_AROUND = 9  # beats


def describe_beats(
    beats: FloatArray,
    onsets: Onsets,
    tempo: TempoCurve,
    attacks: Float32Array,
    *,
    is_steady: bool,
    belief: float,
    loudness: FloatArray,
) -> FloatArray:
    """Return what speaks for each beat, shape (n_beats, 10).

    Onset strength on it, around it and against half-beats; its attack; how even the beats around are;
    whether the song has a constant tempo; how well its tempo fits there; the belief in the reading.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending, two or more
    belief : float, 0 to 1
        The share of the chosen reading among all readings.
    loudness : float64, shape (n_beats,)
        Log10 power at each beat against the song's loud moments.
    """
    strength = _strength_at(onsets, beats)
    between = _strength_at(onsets, np.append((beats[:-1] + beats[1:]) / 2, beats[-1]))
    around = ndi.uniform_filter1d(strength, _AROUND, mode="nearest")
    contrast = ndi.uniform_filter1d(strength - between, _AROUND, mode="nearest")
    off = np.abs(nearest_attacks(attacks, beats, reach=_LONGEST_SECONDS, tendency=0.02) - beats)
    off = np.where(np.isfinite(off), off, _LONGEST_SECONDS) / _LONGEST_SECONDS
    intervals = np.diff(beats, append=2 * beats[-1] - beats[-2])
    usual = ndi.median_filter(intervals, _AROUND, mode="nearest")
    uneven = np.minimum(np.abs(intervals / usual - 1), 0.3)
    fit = _tempo_fit(beats, usual, tempo)
    belief = float(np.clip(belief, 0.001, 0.999))
    return np.stack(
        [
            np.minimum(strength, 6),
            np.minimum(around, 4),
            contrast,
            off,
            ndi.uniform_filter1d(off, _AROUND, mode="nearest"),
            ndi.uniform_filter1d(uneven, _AROUND, mode="nearest"),
            np.full(len(beats), float(is_steady)),
            fit,
            np.full(len(beats), np.log(belief / (1 - belief))),
            np.maximum(loudness, -4),
        ],
        axis=1,
    )


def _strength_at(onsets: Onsets, times: FloatArray) -> FloatArray:
    near = ndi.maximum_filter1d(onsets.strength, 7)
    hops = np.clip(np.round(times * HOPS_PER_SECOND).astype(np.int64), 0, len(near) - 1)
    return np.asarray(near[hops], np.float64)


def _tempo_fit(beats: FloatArray, intervals: FloatArray, tempo: TempoCurve) -> FloatArray:
    seconds = np.clip(np.round(beats).astype(np.int64), 0, len(tempo.fit) - 1)
    columns = np.clip(np.searchsorted(TEMPI, 60 / intervals), 0, len(TEMPI) - 1)
    return np.asarray(tempo.fit[seconds, columns])
