"""Onsets of the low, mid and high band, which every song has, whatever plays."""

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.band_levels import LEVELS_PER_SECOND, RANGE_DECIBELS, SongLevels
from epiphane.audio.bands import attacks_near, stronger_of_close
from epiphane.document.song import Hit
from epiphane.types import Float32Array, FloatArray, IntArray

LOW_HZ, MID_HZ, HIGH_HZ = (35.0, 110.0), (200.0, 3000.0), (7000.0, 15_000.0)
_LEAST_HIGH_HZ = 2500.0
_LAG_HOPS, _UP_HOPS = 3, 9
_HALF_DECIBELS = 6.0
_AUDIBLE_DECIBELS = 45.0  # under its loudest moment a band does not count
_LEAST_DECIBELS, _MOST_DECIBELS = 4.0, 20.0  # out of silence a rise is no greater hit
# A rise counts if it is half of what is large around it.
_AROUND_SECONDS, _LARGE_PERCENTILE, _LEAST_SHARE = 8.0, 95, 0.5
_APART_SECONDS = 0.1
# How far the attack of a hit may be; low sounds take longer to be seen.
_LOW_REACH_SECONDS, _REACH_SECONDS = 0.035, 0.02
_HOPS_APART = 25  # at which the large rises around are worked out


def band_rises(levels: SongLevels, *, bandwidth: float) -> dict[str, tuple[Hit, ...]]:
    """Return the hits of the ``low``, ``mid`` and ``high`` band, ascending, with their strength.

    A hit is where the level of a band grows within 30 ms by more than half of what is large within eight
    seconds, weighed by how loud the band gets, and by 4 dB at least. The high band is the highest octave of
    a file that reaches no higher than `bandwidth`, Hz.
    """
    high = HIGH_HZ
    if bandwidth < HIGH_HZ[1]:
        high = (max(_LEAST_HIGH_HZ, min(HIGH_HZ[0], bandwidth / 2)), bandwidth)
    return {
        "low": _hits(levels, *LOW_HZ, _LOW_REACH_SECONDS),
        "mid": _hits(levels, *MID_HZ, _REACH_SECONDS),
        "high": _hits(levels, *high, _REACH_SECONDS) if high[0] < high[1] else (),
    }


def _hits(levels: SongLevels, low: float, high: float, reach: float) -> tuple[Hit, ...]:
    decibels = (levels.level(low, high) - 1) * RANGE_DECIBELS
    grown = np.zeros_like(decibels)
    grown[_LAG_HOPS:] = decibels[_LAG_HOPS:] - decibels[:-_LAG_HOPS]
    grown[:_LAG_HOPS] = decibels[:_LAG_HOPS] + RANGE_DECIBELS  # before the song there is silence
    loudness = ndi.maximum_filter1d(decibels, 5)
    weighed = np.clip(grown, 0, _MOST_DECIBELS) * np.clip(1 + loudness / _AUDIBLE_DECIBELS, 0, 1)
    is_peak = (weighed == ndi.maximum_filter1d(weighed, 7)) & (grown > _LEAST_DECIBELS)
    large = _large_around(weighed)
    hops = np.flatnonzero(is_peak & (weighed > _LEAST_SHARE * large) & (weighed > 0))
    if len(hops) == 0:
        return ()
    times = _half_way_up(decibels, hops) / LEVELS_PER_SECOND
    near = attacks_near(levels, times, reach=reach)
    times = np.maximum(np.where(np.isfinite(near), near, times), 0.0)
    strengths = np.clip(weighed[hops] / np.maximum(large[hops], 1e-6), 0.05, 1)
    order = np.argsort(times, kind="stable")
    kept = stronger_of_close(times[order], strengths[order], _APART_SECONDS)
    return tuple(
        Hit(round(float(times[row]), 6), round(float(strengths[row]), 3)) for row in order[kept].tolist()
    )


def _half_way_up(decibels: Float32Array, hops: IntArray) -> IntArray:
    """Return the hops at which rises reach half of the amplitude that they reach within 90 ms.

    There half of the spectrum's window lies in what began: that is the instant of the attack.
    """
    offsets = np.arange(-_LAG_HOPS, _UP_HOPS)
    around = decibels[np.clip(hops[:, None] + offsets, 0, len(decibels) - 1)]
    is_up = around >= around.max(axis=1, keepdims=True) - _HALF_DECIBELS
    return np.asarray(np.clip(hops + offsets[is_up.argmax(axis=1)], 0, len(decibels) - 1))


def _large_around(weighed: Float32Array) -> FloatArray:
    """Return the 95th percentile of the peaks of a curve within eight seconds of each hop."""
    peaks = np.flatnonzero((weighed == ndi.maximum_filter1d(weighed, 11)) & (weighed > 0))
    centres = np.arange(0, len(weighed), _HOPS_APART)
    if len(peaks) == 0:
        return np.zeros(len(weighed))
    reach = _AROUND_SECONDS * LEVELS_PER_SECOND / 2
    first, end = np.searchsorted(peaks, centres - reach), np.searchsorted(peaks, centres + reach)
    values = weighed[peaks]
    large = [
        float(np.percentile(values[a:b], _LARGE_PERCENTILE)) if b > a else 0.0
        for a, b in zip(first, end, strict=True)
    ]
    return np.interp(np.arange(len(weighed)), centres, large)
