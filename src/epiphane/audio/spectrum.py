"""Band spectra of the song at a fixed number of analysis hops a second."""

from collections.abc import Iterator

import numpy as np
import scipy.fft
from numpy.lib.stride_tricks import sliding_window_view

from epiphane.audio.mapped_array import ArrayBuilder, in_blocks, release
from epiphane.types import Float32Array, FloatArray

HOPS_PER_SECOND = 100
N_FFT = 2048
HARMONY_HOPS_PER_SECOND = 20
HARMONY_N_FFT = 8192
BANDS_PER_OCTAVE = 12

_SAMPLES_AT_ONCE = 2**19  # 2 MB of windows: more leave the cache
_BLOCKS_AT_ONCE = 32


class Bands:
    """A spectrum in logarithmically spaced bands.

    Attributes
    ----------
    levels : float32, shape (n_hops, n_bands), magnitude
    centres : float64, shape (n_bands,), Hz
    """

    def __init__(self, levels: Float32Array, centres: FloatArray) -> None:
        self.levels = levels
        self.centres = centres

    def loudness(self, low: float, high: float) -> FloatArray:
        """Return the root of the sum of squares of the bands centred in [low, high) Hz, shape (n_hops,)."""
        inside = (self.centres >= low) & (self.centres < high)
        parts = (block[:, inside] for block in in_blocks(self.levels))
        found = [np.sqrt(np.einsum("ij,ij->i", part, part), dtype=np.float64) for part in parts]
        return np.concatenate(found) if found else np.zeros(0)

    def loud(self) -> float:
        """Return the magnitude of the greatest band that one hop in twenty comes up to."""
        greatest = [block.max(axis=1, initial=0) for block in in_blocks(self.levels)]
        return float(np.percentile(np.concatenate(greatest), 95)) if greatest else 0.0


def rhythm_bands(mono: Float32Array, rate: int) -> Bands:
    """Return 30 Hz to 17 kHz at `HOPS_PER_SECOND`: quick enough for onsets.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    """
    return band_spectrum(mono, rate, hops_per_second=HOPS_PER_SECOND, n_fft=N_FFT, low=30, high=17_000)


def harmony_bands(mono: Float32Array, rate: int) -> Bands:
    """Return 60 to 2200 Hz at `HARMONY_HOPS_PER_SECOND`: fine enough for chords.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    """
    return band_spectrum(
        mono, rate, hops_per_second=HARMONY_HOPS_PER_SECOND, n_fft=HARMONY_N_FFT, low=60, high=2200
    )


def band_spectrum(
    mono: Float32Array, rate: int, *, hops_per_second: int, n_fft: int, low: float, high: float
) -> Bands:
    """Return the magnitude spectrum in triangular bands of unit sum, twelve an octave.

    Hop n is centred on sample ``round(n * rate / hops_per_second)``: a whole number of samples
    between hops would drift against the song.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    hops_per_second, n_fft : int
    low, high : float, Hz

    Returns
    -------
    Bands
        ``floor(seconds * hops_per_second) + 1`` hops; bands that would share a bin are one, and there are
        none above 0.98 of half the rate.
    """
    weights, centres = _triangles(rate, n_fft, low, high)
    n_hops = int(np.floor(len(mono) / rate * hops_per_second)) + 1
    levels = ArrayBuilder(len(centres))
    used = np.flatnonzero(weights.any(axis=1))
    inside = slice(used[0], used[-1] + 1) if len(used) else slice(0, 0)
    for _, power in power_blocks(mono, rate, hops_per_second, n_fft, n_hops):
        levels.add(np.sqrt(power[:, inside]) @ weights[inside])
    return Bands(levels.array(), centres)


def _triangles(rate: int, n_fft: int, low: float, high: float) -> tuple[Float32Array, FloatArray]:
    n_edges = int(np.ceil(np.log2(high / low) * BANDS_PER_OCTAVE)) + 2
    edges = low * 2.0 ** (np.arange(n_edges) / BANDS_PER_OCTAVE)
    edges = edges[edges <= min(high, rate / 2 * 0.98)]
    # [Hz] / ([sample/s] / [sample]) = [bin]; low bands that share a bin are one band.
    bins = np.unique(np.round(edges * n_fft / rate).astype(np.int64))
    bins = bins[bins > 0]
    weights = np.zeros((n_fft // 2 + 1, max(0, len(bins) - 2)), np.float32)
    for band, (left, centre, right) in enumerate(zip(bins, bins[1:], bins[2:], strict=False)):
        weights[left : centre + 1, band] = np.linspace(0, 1, centre - left + 1)
        weights[centre : right + 1, band] = np.linspace(1, 0, right - centre + 1)
    return weights / np.maximum(weights.sum(axis=0, keepdims=True), 1e-9), bins[1:-1] * rate / n_fft


def power_blocks(
    mono: Float32Array, rate: int, hops_per_second: int, n_fft: int, n_hops: int
) -> Iterator[tuple[int, Float32Array]]:
    """Yield the first hop and the power, float32, (n, n_fft // 2 + 1), of some hops at a time.

    Hop n is centred on sample ``round(n * rate / hops_per_second)``, under a Hann window.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
        Silence is taken to lie before and after it.
    rate : int, samples / second
    hops_per_second, n_fft, n_hops : int
    """
    centres = np.round(np.arange(n_hops) * rate / hops_per_second).astype(np.int64)
    hann = np.hanning(n_fft + 1)[:-1].astype(np.float32)
    n_at_once = max(1, _SAMPLES_AT_ONCE // n_fft)
    for first in range(0, n_hops, n_at_once):
        starts = centres[first : first + n_at_once] - n_fft // 2
        windows = sliding_window_view(_piece(mono, int(starts[0]), int(starts[-1]) + n_fft), n_fft)
        spectrum = scipy.fft.rfft(windows[starts - starts[0]] * hann, axis=1)
        if first // n_at_once % _BLOCKS_AT_ONCE == 0:
            release(mono)
        yield first, spectrum.real**2 + spectrum.imag**2  # quicker than the square of the absolute value


def _piece(mono: Float32Array, start: int, end: int) -> Float32Array:
    """Return the samples from `start` to `end`, with silence where there are none."""
    inside = mono[max(start, 0) : max(end, 0)]
    n_before = max(0, -start)
    missing = (n_before, end - start - n_before - len(inside))
    return np.pad(inside, missing) if any(missing) else inside
