"""Hits where a band of the spectrum rises over a threshold, and the attacks beside them."""

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.attack import nearest_attacks
from epiphane.audio.levels import LAST_BYTE, LEVELS_PER_SECOND, RANGE_DECIBELS, SongLevels
from epiphane.audio.spectrum import Bands
from epiphane.types import Float32Array, FloatArray, IntArray

_ATTACK_STEPS = 16  # of a natural log unit of rise
_ATTACK_REACH = 0.035
_FALL_TO_REARM = 0.05
_PEAK_HOPS = 8
_HOPS_AT_ONCE = 8192


def song_levels(bands: Bands, attacks: Float32Array) -> SongLevels:
    """Return the levels of a song from its spectrum and its attack curve."""
    loudest = float(bands.levels.max(initial=0.0))
    levels = np.zeros(bands.levels.shape[::-1], np.uint8)
    if loudest > 0:
        for first in range(0, len(bands.levels), _HOPS_AT_ONCE):
            part = bands.levels[first : first + _HOPS_AT_ONCE]
            decibels = 20 * np.log10(part / loudest + 1e-9)
            share = np.clip(1 + decibels / RANGE_DECIBELS, 0, 1)
            levels[:, first : first + _HOPS_AT_ONCE] = np.round(share * LAST_BYTE).T
    rises = np.minimum(np.round(attacks * _ATTACK_STEPS), LAST_BYTE).astype(np.uint8)
    return SongLevels(levels, bands.centres, rises)


def attacks_near(levels: SongLevels, times: FloatArray, *, reach: float = 0.1) -> FloatArray:
    """Return the attack nearest to each time, seconds; NaN where none is within `reach` seconds."""
    curve = levels.rises.astype(np.float32) / np.float32(_ATTACK_STEPS)
    return nearest_attacks(curve, times, reach=reach, tendency=reach / 2)


def band_hits(levels: SongLevels, low: float, high: float, threshold: float, gap: float) -> FloatArray:
    """Return where a band rises over a threshold.

    A hit is where the level passes the threshold upwards after it has been clearly under it, on the attack
    beside it where there is one; of two that are closer than the gap, the first.

    Parameters
    ----------
    low, high : float, Hz
    threshold : float, 0 to 1, of `SongLevels.level`
    gap : float, seconds

    Returns
    -------
    float64, shape (n_hits, 2)
        Time in seconds, ascending, and strength 0 to 1: how far the level goes above the threshold.
    """
    level = levels.level(low, high)
    rough = _crossings(level, threshold)
    if len(rough) == 0:
        return np.zeros((0, 2))
    peaks = ndi.maximum_filter1d(level, _PEAK_HOPS, origin=-(_PEAK_HOPS // 2))[rough]
    strengths = np.clip(0.3 + 0.7 * (peaks - threshold) / max(1 - threshold, 1e-3), 0, 1)
    times = rough / LEVELS_PER_SECOND
    near = attacks_near(levels, times, reach=_ATTACK_REACH)
    times = np.where(np.isfinite(near), near, times)
    kept = _apart(times, gap)
    return np.stack([times[kept], np.round(strengths[kept], 3)], axis=1)


def _crossings(level: Float32Array, threshold: float) -> IntArray:
    """Return the hops at which a level rises to a threshold, armed again only clearly under it."""
    is_over, is_under = level >= threshold, level < max(threshold - _FALL_TO_REARM, 1e-6)
    state = np.where(is_over, 1, np.where(is_under, -1, 0))
    told = np.flatnonzero(state)
    if len(told) == 0 or threshold <= 0:
        return np.zeros(0, np.int64)
    before = np.concatenate([[-1], state[told][:-1]])
    return np.asarray(told[(state[told] == 1) & (before == -1)])


def _apart(times: FloatArray, gap: float) -> list[int]:
    kept: list[int] = []
    for index, time in enumerate(times):
        if not kept or time - times[kept[-1]] >= gap:
            kept.append(index)
    return kept
