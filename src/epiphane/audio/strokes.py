"""Percussive onsets and their spectral features: every sudden sound that could be a drum.

A stroke is known by the number of its hop in the drum spectrum, `STROKE_HOPS_PER_SECOND` a second.
"""

from itertools import accumulate, pairwise

import numpy as np
import scipy.fft
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.mapped_array import ArrayBuilder, release
from epiphane.audio.samples import resampled_blocks
from epiphane.audio.spectrum import power_blocks
from epiphane.types import BoolArray, Float32Array, FloatArray, IntArray

STROKE_HOPS_PER_SECOND = 200
BAND_EDGES_HZ = (
    *(
        30,
        60,
        90,
        130,
        200,
        300,
        450,
    ),  # these six bands from a resampled sound, the others from the sound itself
    *(700, 1000, 1500, 2200, 3200, 4500, 6500, 9000, 12_500, 17_000),
)
N_BANDS = len(BAND_EDGES_HZ) - 1
_N_LOW_BANDS = 6
# 288 samples at 6 kHz are 48 ms: fine enough in pitch to tell a low drum from a bass.
_LOW_RATE, _LOW_N_FFT = 6000, 288
_N_FFT = 1024
_FLATNESS_RANGES_HZ = ((1000, 5000), (5000, 16_000))
# A band that in no hop of a hundred comes within 45 dB of the song's loud moments is not in the file.
_LEAST_LEVEL = -4.5
_LEAST_FLATNESS_BINS = 12
_PROBES, _PROBES_AT_ONCE, _PROBE_BINS = 600, 16, 12

_GROUPS = (slice(0, 3), slice(3, 9), slice(9, 12), slice(12, 16))
_LAG_HOPS = 3
_SMOOTH_HOPS = 1.2
_LEAST_RISE = 0.02
_LEAST_CAME = 1e-4
_STROKES_AT_ONCE = 8192
_APART_HOPS = 5

# Instants around a stroke at which its spectrum is read, in hops.
_BEFORE = (-9, -7, -5)
_AT = (-1, 0, 1, 2, 3)
_SOON, _LATER, _LATE = 6, 12, 24
_BLOCKS = {
    "came": N_BANDS,
    "rise": N_BANDS,
    "fall_60_ms": N_BANDS,
    "fall_120_ms": N_BANDS,
    "left_30_ms": N_BANDS,
    "level": N_BANDS,
    "centre": 1,
    "spread": 1,
    "entropy": 1,
    "flatness": 2,
    "flatness_change": 2,
    "flatness_60_ms": 2,
    "came_against_loud": N_BANDS,
    "bands_present": 1,
}
"""What is told of a stroke, in the order of its columns, and how many of them each takes."""
N_FEATURES = sum(_BLOCKS.values())
_ENDS = tuple(accumulate(_BLOCKS.values()))
FEATURES = {name: slice(end - width, end) for (name, width), end in zip(_BLOCKS.items(), _ENDS, strict=True)}
"""The columns of what `describe_strokes` returns, by their names."""


class DrumSpectrum(Struct, frozen=True, eq=False):
    """A coarse, quick spectrum.

    Attributes
    ----------
    levels : float32, shape (n_hops, 16)
        Log10 power of each band against the song's loud moments: about -5 to 0.
    flatness : float32, shape (n_hops, 2)
        Log of geometric over arithmetic mean of the power at 1-5 and 5-16 kHz: 0 is noise. NaN where the
        file has next to nothing of that range.
    bandwidth : float, Hz
        Up to which frequency the file reaches: `bandwidth`.
    """

    levels: Float32Array
    flatness: Float32Array
    bandwidth: float

    def present(self) -> BoolArray:
        """Return which bands the file has at all, shape (16,): codecs and low rates take the high ones."""
        if len(self.levels) == 0:
            return np.ones(N_BANDS, bool)
        return np.asarray(np.percentile(self.levels, 99, axis=0) > _LEAST_LEVEL)


def drum_spectrum(mono: Float32Array, rate: int) -> DrumSpectrum:
    """Return the drum spectrum of a song at 200 hops a second.

    Six bands up to 450 Hz are taken from the song resampled to 6 kHz, in windows of 48 ms; ten above from
    windows of 1024 samples of the song itself.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    """
    n_hops = int(np.floor(len(mono) / rate * STROKE_HOPS_PER_SECOND)) + 1
    power = np.empty((n_hops, N_BANDS), np.float32)
    flatness = np.zeros((n_hops, len(_FLATNESS_RANGES_HZ)), np.float32)
    rows = ArrayBuilder()
    for block in resampled_blocks(mono[:, None], rate, _LOW_RATE, quality="MQ"):
        rows.add(block[:, 0])
    low = rows.array()
    weights = _band_weights(_LOW_RATE, _LOW_N_FFT, BAND_EDGES_HZ[: _N_LOW_BANDS + 1])
    scale = 1 / (_LOW_N_FFT / 4) ** 2
    for first, block in power_blocks(low, _LOW_RATE, STROKE_HOPS_PER_SECOND, _LOW_N_FFT, n_hops):
        power[first : first + len(block), :_N_LOW_BANDS] = block @ weights * scale
    weights = _band_weights(rate, _N_FFT, BAND_EDGES_HZ[_N_LOW_BANDS:])
    scale = 1 / (_N_FFT / 4) ** 2
    top = bandwidth(mono, rate)
    ranges = [_bins(rate, low_hz, min(high_hz, top)) for low_hz, high_hz in _FLATNESS_RANGES_HZ]
    for first, block in power_blocks(mono, rate, STROKE_HOPS_PER_SECOND, _N_FFT, n_hops):
        power[first : first + len(block), _N_LOW_BANDS:] = block @ weights * scale
        for column, bins in enumerate(ranges):
            inside = block[:, bins] + np.float32(1e-9)
            if inside.shape[1] < _LEAST_FLATNESS_BINS:
                flatness[first : first + len(block), column] = np.nan
                continue
            flatness[first : first + len(block), column] = np.log(inside).mean(axis=1) - np.log(
                inside.mean(axis=1)
            )
    loud = np.percentile(power.sum(axis=1), 95) + 1e-12
    power /= loud
    power += np.float32(1e-5)
    return DrumSpectrum(np.log10(power, out=power), flatness, top)


def bandwidth(mono: Float32Array, rate: int) -> float:
    """Return up to which frequency a sound comes within 50 dB of its loud moments, Hz.

    Measured at 600 places spread over the whole sound, in parts of twelve bins: the highest part that is that
    loud in one place of a hundred. Half of `rate` where the sound is shorter than one window, 0 in silence.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    """
    if len(mono) < _N_FFT:
        return rate / 2
    # Not by blocks of hops: from the first probe to the last is the whole song.
    starts = np.linspace(0, len(mono) - _N_FFT, _PROBES).astype(np.int64)
    windows = np.empty((_PROBES, _N_FFT), np.float32)
    for number, start in enumerate(starts.tolist()):
        windows[number] = mono[start : start + _N_FFT]
        if number % _PROBES_AT_ONCE == 0:
            release(mono)  # a long song is on the disk, and far more of it comes with each probe
    windows *= np.hanning(_N_FFT).astype(np.float32)
    power = np.abs(scipy.fft.rfft(windows, axis=1))[:, 1:] ** 2
    n_parts = power.shape[1] // _PROBE_BINS
    parts = power[:, : n_parts * _PROBE_BINS].reshape(len(power), n_parts, _PROBE_BINS).mean(axis=2)
    loud = np.percentile(parts.sum(axis=1), 95)
    heard = np.flatnonzero(np.percentile(parts, 99, axis=0) > 1e-5 * loud) if loud > 0 else np.zeros(0)
    return float((heard[-1] + 1) * _PROBE_BINS * rate / _N_FFT) if len(heard) else 0.0


def find_strokes(spectrum: DrumSpectrum) -> IntArray:
    """Return the hops at which something begins in any of four ranges, ascending, 25 ms apart or more.

    Peaks of the rise of log power over 15 ms that are above the mean of their second; of close ones the one
    that stands out more from the six seconds around it.

    Returns
    -------
    int64, shape (n_strokes,), at `STROKE_HOPS_PER_SECOND`
    """
    levels, present = spectrum.levels, spectrum.present()
    peaks, salience = np.zeros(len(levels), bool), np.zeros(len(levels), np.float32)
    for group in _GROUPS:  # one by one: of three hours all of them at once are 300 MB
        rise = np.zeros(len(levels), np.float32)
        came = np.maximum(0, levels[_LAG_HOPS:, group] - levels[:-_LAG_HOPS, group])
        rise[_LAG_HOPS:] = came.sum(axis=1) / max(1, int(present[group].sum()))
        rise = ndi.gaussian_filter1d(rise, _SMOOTH_HOPS)
        usual = ndi.uniform_filter1d(rise, STROKE_HOPS_PER_SECOND | 1)
        peaks |= (rise == ndi.maximum_filter1d(rise, 11)) & (rise > usual) & (rise > _LEAST_RISE)
        squares = ndi.uniform_filter1d(rise**2, 6 * STROKE_HOPS_PER_SECOND | 1)
        loud = np.sqrt(np.maximum(squares, 0))  # a running mean may end just below nothing
        salience += rise / (loud + 0.02)
    kept: list[int] = []
    for hop in np.flatnonzero(peaks):
        if kept and hop - kept[-1] <= _APART_HOPS:
            if salience[hop] > salience[kept[-1]]:
                kept[-1] = int(hop)
        else:
            kept.append(int(hop))
    return np.array(kept, np.int64)


def describe_strokes(spectrum: DrumSpectrum, strokes: IntArray) -> Float32Array:
    """Return what each stroke sounds like, shape (n_strokes, `N_FEATURES`), in the columns of `FEATURES`.

    By band: the power that came in, the rise, the fall after 60 and 120 ms, what is left after 30 ms, the
    level; then centre, spread and entropy of what came in; flatness at the stroke, its change, and 60 ms
    later; at last what came in against the loud strokes of the song, and the share of bands that the file
    has. What the file does not have is NaN: no network may lean on it.

    Parameters
    ----------
    spectrum : DrumSpectrum
    strokes : int64, shape (n_strokes,), hops, from `find_strokes`

    Returns
    -------
    float32, shape (n_strokes, `N_FEATURES`)
    """
    blocks = [strokes[first : first + _STROKES_AT_ONCE] for first in range(0, len(strokes), _STROKES_AT_ONCE)]
    blocks = blocks or [strokes]
    came = np.concatenate([np.log10(_what_came(spectrum.levels, block)[0] + _LEAST_CAME) for block in blocks])
    loud = np.percentile(came, 92, axis=0) if len(strokes) > 4 else np.zeros(N_BANDS)
    present = spectrum.present()
    return np.concatenate([_described(spectrum, block, loud, present) for block in blocks])


def _what_came(levels: Float32Array, strokes: IntArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return by band the power that strokes brought, and the level at them and before them."""
    last = len(levels) - 1
    before = np.mean([levels[np.clip(strokes + offset, 0, last)] for offset in _BEFORE], axis=0)
    here = np.max([levels[np.clip(strokes + offset, 0, last)] for offset in _AT], axis=0)
    return np.maximum(10.0**here - 10.0**before, 0), here, before


def _described(
    spectrum: DrumSpectrum, strokes: IntArray, loud: FloatArray, present: BoolArray
) -> Float32Array:
    levels, flatness = spectrum.levels, spectrum.flatness
    last = len(levels) - 1

    def at(offset: int) -> IntArray:
        return np.clip(strokes + offset, 0, last)

    came, here, before = _what_came(levels, strokes)
    came_log = np.log10(came + _LEAST_CAME)
    share = np.where(present, came + 1e-9, 1e-12)
    share = share / share.sum(axis=1, keepdims=True)
    bands = np.arange(N_BANDS)
    centre = (share * bands).sum(axis=1)
    spread = np.sqrt((share * (bands - centre[:, None]) ** 2).sum(axis=1))
    entropy = -(share * np.log(share)).sum(axis=1)
    flat = np.max([flatness[at(offset)] for offset in (0, 1, 2)], axis=0)
    by_band = {
        "came": came_log,
        "rise": here - before,
        "fall_60_ms": here - levels[at(_LATER)],
        "fall_120_ms": here - levels[at(_LATE)],
        "left_30_ms": levels[at(_SOON)] - before,
        "level": here,
        "came_against_loud": came_log - loud,
    }
    told = {name: np.where(present, block, np.nan) for name, block in by_band.items()} | {
        "centre": centre[:, None] / 8,
        "spread": spread[:, None] / 4,
        "entropy": entropy[:, None],
        "flatness": flat,
        "flatness_change": flat - flatness[at(-_SOON)],
        "flatness_60_ms": flatness[at(_LATER)],
        "bands_present": np.full((len(strokes), 1), present.mean()),
    }
    return np.concatenate([told[name] for name in FEATURES], axis=1).astype(np.float32)


def _bins(rate: int, low: float, high: float) -> slice:
    width = rate / _N_FFT
    first, end = int(np.ceil(low / width)), int(np.ceil(high / width))
    n_bins = _N_FFT // 2 + 1
    return slice(min(first, n_bins - 1), max(min(end, n_bins), min(first, n_bins - 1) + 1))


def _band_weights(rate: int, n_fft: int, edges: tuple[float, ...]) -> Float32Array:
    """Return bands of unit sum with edges one bin soft, shape (n_fft // 2 + 1, n_bands)."""
    width = rate / n_fft
    frequencies = np.arange(n_fft // 2 + 1) * width
    columns = []
    for low, high in pairwise(edges):
        inside = np.clip((frequencies - low) / width + 0.5, 0, 1) * np.clip(
            (high - frequencies) / width + 0.5, 0, 1
        )
        columns.append(inside / max(inside.sum(), 1e-9))
    return np.stack(columns, axis=1).astype(np.float32)
