"""Tempo over time, by autocorrelation of onset strength."""

import numpy as np
import scipy.fft
import scipy.ndimage as ndi
from numpy.lib.stride_tricks import sliding_window_view

from epiphane.audio.onset import Onsets
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.types import Float32Array, FloatArray

TEMPI = np.exp(np.linspace(np.log(40), np.log(260), 270))
"""Float64, shape (270,): the tempi considered, BPM, in steps of 0.7 %."""

_WINDOW_SECONDS = 12
_WINDOWS_AT_ONCE = 600
_LONGEST_LAG_SECONDS = 6
_COMB_WEIGHTS = (1.0, 0.5, 0.25, 0.5)
# What a change of tempo by one step of 0.7 % within a second costs, in fit.
_COURSE_COST = 0.02
_USUAL_BPM = 140.0
_USUAL_SPREAD_OCTAVES = 0.8


class TempoCurve:
    """How well each tempo fits, over time.

    Attributes
    ----------
    fit : float64, shape (n_seconds, len(TEMPI))
        One row for each second of the song.
    tempo : float
        The tempo of the song as a whole, BPM.
    """

    def __init__(self, fit: FloatArray, tempo: float) -> None:
        self.fit = fit
        self.tempo = tempo

    def clarity(self) -> float:
        """Return the mean fit along the clearest course of the tempo, which changes a little at a time."""
        tempi = np.arange(len(TEMPI))
        costs = _COURSE_COST * np.abs(tempi[:, None] - tempi)
        course = self.fit[0]
        for row in self.fit[1:]:
            course = (course[:, None] - costs).max(axis=0) + row
        return float(course.max() / len(self.fit))


def measure_tempo(onsets: Onsets) -> TempoCurve:
    """Return the fit of every tempo at every second, and the tempo that fits the song best.

    The choice leans to usual tempi and asks for a subdivision below the beat, which tells a tempo
    from its half: something usually happens between two beats.
    """
    likeness = sum(_autocorrelation(group) for group in onsets.groups.T) / onsets.groups.shape[1]
    fit = _comb(likeness)
    mean = likeness.mean(axis=0)
    hops = 60 * HOPS_PER_SECOND / TEMPI

    def at(share: float) -> FloatArray:
        return np.asarray(np.interp(hops * share, np.arange(len(mean)), mean))

    below = np.maximum.reduce([at(1 / 2), at(1 / 3), at(2 / 3)]) / np.maximum(at(1), 0.05)
    usual = np.exp(-0.5 * (np.log2(TEMPI / _USUAL_BPM) / _USUAL_SPREAD_OCTAVES) ** 2)
    score = np.maximum(fit.mean(axis=0), 0) * usual * (0.5 + 0.5 * np.clip(below / 0.3, 0, 1))
    return TempoCurve(fit, float(TEMPI[score.argmax()]))


def _autocorrelation(group: Float32Array) -> FloatArray:
    """Return the unbiased autocorrelation in windows a second apart, shape (n_windows, n_lags)."""
    smooth = ndi.gaussian_filter1d(group, 0.012 * HOPS_PER_SECOND)
    n_window, n_lags = _WINDOW_SECONDS * HOPS_PER_SECOND, _LONGEST_LAG_SECONDS * HOPS_PER_SECOND
    padded = np.pad(smooth, (n_window // 2, n_window // 2))
    windows = sliding_window_view(padded, n_window)[::HOPS_PER_SECOND]
    hann = np.hanning(n_window)
    n_fft = scipy.fft.next_fast_len(n_window + n_lags)

    def correlate(block: FloatArray) -> FloatArray:
        power = np.abs(scipy.fft.rfft(block, n_fft, axis=-1)) ** 2
        return np.asarray(scipy.fft.irfft(power, n_fft, axis=-1)[..., :n_lags])

    bias = correlate(hann)
    found = np.empty((len(windows), n_lags))
    for first in range(0, len(windows), _WINDOWS_AT_ONCE):
        part = windows[first : first + _WINDOWS_AT_ONCE]
        raw = correlate((part - part.mean(axis=1, keepdims=True)) * hann)
        found[first : first + len(part)] = raw / np.maximum(raw[:, :1], 1e-6) / (bias / bias[0])
    return found


def _comb(likeness: FloatArray) -> FloatArray:
    """Return the weighted likeness at one to four beats of every tempo."""
    lags = np.arange(likeness.shape[-1])
    total = np.zeros((len(likeness), len(TEMPI)))
    weight = np.zeros(len(TEMPI))
    for n_beats, share in enumerate(_COMB_WEIGHTS, start=1):
        wanted = n_beats * 60 * HOPS_PER_SECOND / TEMPI
        inside = wanted < lags[-1]
        for row, values in enumerate(likeness):
            total[row] += share * np.where(inside, np.interp(wanted, lags, values), 0)
        weight += share * inside
    return total / weight
