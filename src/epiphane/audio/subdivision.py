"""Features of a song on a grid of twelfths of the tracked beats, from which metre is read."""

from collections.abc import Sequence

import numpy as np
import scipy.fft
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.onset import Onsets
from epiphane.audio.spectrum import HARMONY_HOPS_PER_SECOND, HOPS_PER_SECOND
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND
from epiphane.types import Float32Array, FloatArray, IntArray

PARTS = 12
"""Parts of a followed beat: halves, thirds, quarters and sixths all lie on them."""

KICK, SNARE, HAT, CYMBAL, LOW, MIDDLE, HIGH, CHANGE = range(8)
N_SIGNALS = 8
# Spectral flux is seen a little before the attack, a stroke a little before its hop's end.
_FLUX_LEAD_SECONDS, _STROKE_LAG_SECONDS = 0.005, 0.004
_LEAST_REACH_SECONDS = 0.02
_HOPS_AT_ONCE = 8192


class Grid(Struct, frozen=True, eq=False):
    """What is heard at every twelfth of a beat.

    Attributes
    ----------
    times : float64, shape (n_parts,), seconds, ascending
    signals : float32, shape (n_parts, 8)
        Likelihoods of kick, snare, hat and cymbal (0 to 1), onset strengths of low, middle and high
        instruments (0 to 2), and change of harmony against its surroundings (-1 to 2).
    period : float, seconds
        The usual length of a followed beat.
    """

    times: FloatArray
    signals: Float32Array
    period: float


class Evidence(Struct, frozen=True, eq=False):
    """What a grid is filled from.

    Attributes
    ----------
    onsets : Onsets
    strokes : int64, shape (n_strokes,)
    likelihoods : float64, shape (n_strokes, n_drums)
        Of kick, snare, hat, cymbal, and of drums that grids do without.
    harmony : float32, shape (n_hops, n_bands), at `HARMONY_HOPS_PER_SECOND`
    duration : float, seconds
    """

    onsets: Onsets
    strokes: IntArray
    likelihoods: FloatArray
    harmony: Float32Array
    duration: float


def subdivide(beats: FloatArray, evidence: Evidence) -> Grid:
    """Return the grid over beats, carried on to both ends of the song.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending, three or more
    evidence : Evidence
    """
    period = float(np.median(np.diff(beats)))
    whole = _carried_on(beats, period, evidence.duration)
    places = np.arange((len(whole) - 1) * PARTS + 1) / PARTS
    times = np.interp(places, np.arange(len(whole)), whole)
    reach = max(_LEAST_REACH_SECONDS, 1.05 * period / (2 * PARTS))
    signals = np.zeros((len(times), N_SIGNALS), np.float32)
    signals[:, KICK : CYMBAL + 1] = _greatest_likelihoods(times, evidence, reach)
    n_near = max(1, round(reach * HOPS_PER_SECOND))
    near = ndi.maximum_filter1d(evidence.onsets.groups, 2 * n_near + 1, axis=0)
    hops = np.round((times - _FLUX_LEAD_SECONDS) * HOPS_PER_SECOND).astype(np.int64)
    signals[:, LOW : HIGH + 1] = np.minimum(near[np.clip(hops, 0, len(near) - 1)] / 4, 2)
    change = ndi.maximum_filter1d(harmonic_change(evidence.harmony, period), 3)
    hops = np.clip(np.round(times * HARMONY_HOPS_PER_SECOND).astype(np.int64), 0, len(change) - 1)
    usual = ndi.uniform_filter1d(change[hops], 32 * PARTS)
    signals[:, CHANGE] = np.clip(change[hops] / (usual + 0.02) - 1, -1, 2)
    return Grid(times, signals, period)


def repetition(grid: Grid) -> FloatArray:
    """Return how alike each voice is to itself later: unbiased autocorrelations of the grid's signals.

    Returns
    -------
    float64, shape (n_parts, 6)
        For lags of whole twelfths of a beat: kick, snare, hat or cymbal, low, middle, change of harmony.
    """
    signals = grid.signals.astype(np.float64)
    cymbals = np.maximum(signals[:, HAT], signals[:, CYMBAL])
    voices = np.stack([*signals[:, [KICK, SNARE]].T, cymbals, *signals[:, [LOW, MIDDLE, CHANGE]].T], axis=1)
    voices -= voices.mean(axis=0)
    n_parts = len(voices)
    n_fft = scipy.fft.next_fast_len(2 * n_parts)
    power = np.abs(scipy.fft.rfft(voices, n_fft, axis=0)) ** 2
    likeness = scipy.fft.irfft(power, n_fft, axis=0)[:n_parts]
    # Few pairs are left at long lags: what they say is not raised any further.
    n_pairs = np.maximum(n_parts - np.arange(n_parts), n_parts / 4)
    return np.asarray(likeness / np.maximum(likeness[0], 1e-6) * (n_parts / n_pairs)[:, None])


def at_lags(alike: FloatArray, lags: Sequence[float]) -> FloatArray:
    """Return rows of `repetition` at some lags, flattened; 0 where a lag is most of the song.

    Parameters
    ----------
    alike : float64, shape (n_parts, n_voices), from `repetition`
    lags : sequence of float
        In twelfths of a beat, rounded.

    Returns
    -------
    float64, shape (n_lags * n_voices,), all voices of the first lag first
    """
    rows = np.round(np.asarray(lags)).astype(np.int64)
    within = rows < 0.6 * len(alike)
    return np.where(within[:, None], alike[np.where(within, rows, 0)], 0.0).ravel()


def _carried_on(beats: FloatArray, period: float, duration: float) -> FloatArray:
    n_before = int(beats[0] / period + 0.3)
    n_after = max(0, int((duration - beats[-1]) / period + 0.3))
    before = beats[0] - period * np.arange(n_before, 0, -1)
    return np.concatenate([before, beats, beats[-1] + period * np.arange(1, n_after + 1)])


def _greatest_likelihoods(times: FloatArray, evidence: Evidence, reach: float) -> FloatArray:
    found = np.zeros((len(times), 4))
    moments = evidence.strokes / STROKE_HOPS_PER_SECOND + _STROKE_LAG_SECONDS
    first = np.searchsorted(times, moments - reach)
    end = np.searchsorted(times, moments + reach)
    for likelihood, begin, stop in zip(evidence.likelihoods[:, :4], first, end, strict=True):
        if stop > begin:
            found[begin:stop] = np.maximum(found[begin:stop], likelihood)
    return found


def harmonic_change(levels: Float32Array, beat: float) -> FloatArray:
    """Return how much harmony changes at each hop: 1 - cosine of mean log spectra a beat before and after.

    Parameters
    ----------
    levels : float32, shape (n_hops, n_bands), magnitude, at `HARMONY_HOPS_PER_SECOND`
    beat : float, seconds

    Returns
    -------
    float64, shape (n_hops,), 0 (the same) to 2
    """
    loud = np.percentile(levels.max(axis=1, initial=0), 95) + 1e-9
    n_hops = max(2, round(beat * HARMONY_HOPS_PER_SECOND))
    change = np.empty(len(levels))
    for first in range(0, len(levels), _HOPS_AT_ONCE):
        # With what lies a beat before and after them.
        begin, end = max(first - n_hops, 0), min(first + _HOPS_AT_ONCE + n_hops + 1, len(levels))
        log_levels = np.log10(1 + 100 * levels[begin:end] / loud)
        sums = np.zeros((end - begin + 1, levels.shape[1]))
        np.cumsum(log_levels, axis=0, dtype=np.float64, out=sums[1:])
        here = np.arange(first, min(first + _HOPS_AT_ONCE, len(levels))) - begin
        before = sums[here] - sums[np.maximum(here - n_hops, 0)]
        after = sums[np.minimum(here + n_hops + 1, end - begin)] - sums[np.minimum(here + 1, end - begin)]
        before -= before.mean(axis=1, keepdims=True)
        after -= after.mean(axis=1, keepdims=True)
        norms = np.sqrt((before**2).sum(axis=1) * (after**2).sum(axis=1))
        change[here + begin] = 1 - (before * after).sum(axis=1) / (norms + 1e-6)
    return change
