"""The song as it is drawn: how loud, and how much of it is low, middle and high."""

import numpy as np
import scipy.signal

from epiphane.audio.heard import COLUMNS_PER_SECOND
from epiphane.types import Float32Array

_CROSSOVERS_HZ = (150.0, 2000.0)


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
    peaks = np.maximum.reduceat(np.abs(mono), edges)
    energies = []
    for low, high in ((_CROSSOVERS_HZ[1], None), _CROSSOVERS_HZ, (None, _CROSSOVERS_HZ[0])):
        part = _band(mono, rate, low, high)
        np.square(part, out=part)  # in place: four minutes are 46 MB
        energies.append(np.add.reduceat(part, edges))
    nested = np.cumsum(energies, axis=0).T
    shares = np.sqrt(nested / np.maximum(nested[:, -1:], 1e-12))
    loudest = float(peaks.max())
    if loudest <= 0:
        return np.zeros((n_columns, 3), np.float32)
    return np.asarray(shares * (peaks / loudest)[:, None], np.float32)


def _band(mono: Float32Array, rate: int, low: float | None, high: float | None) -> Float32Array:
    nyquist = rate / 2
    if low is not None and low >= nyquist * 0.95:
        return np.zeros_like(mono)
    top = nyquist * 0.95 if high is None else min(high, nyquist * 0.95)
    if low is None:
        sections = scipy.signal.butter(2, top, "lowpass", fs=rate, output="sos")
    elif high is None or high > top:
        sections = scipy.signal.butter(2, low, "highpass", fs=rate, output="sos")
    else:
        sections = scipy.signal.butter(2, (low, high), "bandpass", fs=rate, output="sos")
    sections = sections.astype(np.float32)
    return np.asarray(scipy.signal.sosfilt(sections, mono), np.float32)
