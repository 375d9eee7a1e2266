"""Waveform columns for drawing: loudness, and how much of it is low, middle and high."""

import numpy as np

from epiphane.audio.heard import COLUMNS_PER_SECOND
from epiphane.audio.mapped_array import release
from epiphane.types import Float32Array

_LOW_HZ, _HIGH_HZ = 150.0, 2000.0
_BANDS_HZ = ((_HIGH_HZ, None), (_LOW_HZ, _HIGH_HZ), (None, _LOW_HZ))
_COLUMNS_AT_ONCE = 30 * COLUMNS_PER_SECOND
_FLOOR = np.random.default_rng(0).uniform(-1e-18, 1e-18, 4096).astype(np.float32)
"""Noise at -360 dB: in digital silence filters die away to denormal numbers, which take ten times as long."""


def waveform_columns(mono: Float32Array, rate: int) -> Float32Array:
    """Return nested silhouettes of the song.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second

    Returns
    -------
    float32, shape (n_columns, 3), in [0, 1], at `COLUMNS_PER_SECOND`
        Heights that nest: the high part; high and middle; all of it. The outer one is the peak of
        the sound in the column over the song's peak, the inner ones divide it by energy.
    """
    n_columns = int(np.ceil(len(mono) / rate * COLUMNS_PER_SECOND))
    if n_columns == 0:
        return np.zeros((0, 3), np.float32)
    edges = np.minimum(
        np.round(np.arange(n_columns) * rate / COLUMNS_PER_SECOND).astype(np.int64), len(mono) - 1
    )
    peaks = np.empty(n_columns, np.float32)
    energies = np.empty((3, n_columns), np.float32)
    parts = [_Band(rate, *limits) for limits in _BANDS_HZ]
    for first in range(0, n_columns, _COLUMNS_AT_ONCE):
        inside = slice(first, min(first + _COLUMNS_AT_ONCE, n_columns))
        end = len(mono) if inside.stop == n_columns else edges[inside.stop]
        block, starts = mono[edges[first] : end], edges[inside] - edges[first]
        peaks[inside] = np.maximum.reduceat(np.abs(block), starts)
        for part, energy in zip(parts, energies, strict=True):
            energy[inside] = np.add.reduceat(np.square(part.next(block)), starts)
        release(mono)
    nested = np.cumsum(energies, axis=0).T
    shares = np.sqrt(nested / np.maximum(nested[:, -1:], 1e-12))
    loudest = float(peaks.max())
    if loudest <= 0:
        return np.zeros((n_columns, 3), np.float32)
    return np.asarray(shares * (peaks / loudest)[:, None], np.float32)


class _Band:
    """A part of the spectrum of a sound that comes block by block."""

    def __init__(self, rate: int, low: float | None, high: float | None) -> None:
        import scipy.signal  # late: it loads much of SciPy

        top = rate / 2 * 0.95
        self._sections: np.ndarray | None = None
        if low is not None and low >= top:
            return  # there is nothing up there
        if low is None:
            sections = scipy.signal.butter(2, min(high or top, top), "lowpass", fs=rate, output="sos")
        elif high is None or high > top:
            sections = scipy.signal.butter(2, low, "highpass", fs=rate, output="sos")
        else:
            sections = scipy.signal.butter(2, (low, high), "bandpass", fs=rate, output="sos")
        self._sections = sections.astype(np.float32)
        self._state = np.zeros((len(sections), 2), np.float32)

    def next(self, block: Float32Array) -> Float32Array:
        """Return the part that lies in the band of the next samples."""
        if self._sections is None:
            return np.zeros_like(block)
        import scipy.signal

        floor = np.resize(_FLOOR, len(block))
        found, self._state = scipy.signal.sosfilt(self._sections, block + floor, zi=self._state)
        return np.asarray(found, np.float32)
