"""Hits where a band of the spectrum rises over a threshold, and the attacks beside them."""

import numpy as np

from epiphane.audio.attack import nearest_attacks
from epiphane.audio.band_levels import LAST_BYTE, LEVELS_PER_SECOND, RANGE_DECIBELS, SongLevels
from epiphane.audio.mapped_array import in_blocks, release
from epiphane.audio.spectrum import Bands
from epiphane.types import Float32Array, FloatArray

_ATTACK_STEPS = 16  # of a natural log unit of rise
_ATTACK_REACH = 0.035
_LEAST_TURN = 0.06  # 4 dB
_HOPS_AT_ONCE = 8192


def song_levels(bands: Bands, attacks: Float32Array) -> SongLevels:
    """Return the levels of a song from its spectrum and its attack curve.

    Parameters
    ----------
    bands : Bands, from `rhythm_bands`
    attacks : float32, shape (n_milliseconds,), from `attack_curve`, natural log units

    Returns
    -------
    SongLevels
        One byte a band and hop, 0 to 255 over `RANGE_DECIBELS` below the loudest; one byte a millisecond for
        the attacks, in sixteenths.
    """
    loudest = max((float(block.max(initial=0.0)) for block in in_blocks(bands.levels)), default=0.0)
    levels = np.zeros(bands.levels.shape[::-1], np.uint8)
    if loudest > 0:
        for first in range(0, len(bands.levels), _HOPS_AT_ONCE):
            part = bands.levels[first : first + _HOPS_AT_ONCE]
            decibels = 20 * np.log10(part / loudest + 1e-9)
            share = np.clip(1 + decibels / RANGE_DECIBELS, 0, 1)
            levels[:, first : first + _HOPS_AT_ONCE] = np.round(share * LAST_BYTE).T
            release(bands.levels)
    rises = np.minimum(np.round(attacks * _ATTACK_STEPS), LAST_BYTE).astype(np.uint8)
    return SongLevels(levels, bands.centres, rises)


def attacks_near(levels: SongLevels, times: FloatArray, *, reach: float = 0.1) -> FloatArray:
    """Return the attack nearest to each time, seconds; NaN where none is within `reach` seconds.

    Parameters
    ----------
    levels : SongLevels
    times : float64, shape (n,), seconds
    reach : float, seconds

    Returns
    -------
    float64, shape (n,), seconds
    """
    curve = levels.rises.astype(np.float32) / np.float32(_ATTACK_STEPS)
    return nearest_attacks(curve, times, reach=reach, tendency=reach / 2)


def band_hits(levels: SongLevels, low: float, high: float, threshold: float, gap: float) -> FloatArray:
    """Return where a band rises over a threshold.

    A hit is where the level, after it has fallen clearly, rises clearly and passes the threshold: so that
    drums are found over a bass that never falls silent. It is put on the attack beside it where there is
    one; of two that are closer than the gap, the stronger stays.

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
    found = _rises(level, threshold) if threshold > 0 else []
    if not found:
        return np.zeros((0, 2))
    hops, peaks = (np.array(column) for column in zip(*found, strict=True))
    strengths = np.clip(0.3 + 0.7 * (peaks - threshold) / max(1 - threshold, 1e-3), 0, 1)
    times = hops / LEVELS_PER_SECOND
    near = attacks_near(levels, times, reach=_ATTACK_REACH)
    times = np.where(np.isfinite(near), near, times)
    order = np.argsort(times, kind="stable")
    kept = stronger_of_close(times[order], strengths[order], gap)
    return np.stack([times[order][kept], np.round(strengths[order][kept], 3)], axis=1)


def _rises(level: Float32Array, threshold: float) -> list[tuple[int, float]]:
    """Return the hop at which each clear rise passes the threshold, and the level at its top.

    Only the turning points of the level are gone through: a rise is from a low to a high one that are
    further apart than what ripples.
    """
    padded = np.concatenate([[0.0], level, [0.0]])
    change = np.sign(np.diff(padded))
    change[change == 0] = -1
    turns = np.flatnonzero(change[:-1] != change[1:])
    found: list[tuple[int, float]] = []
    low_at, low = -1, 0.0
    high_at, high = -1, 0.0
    is_rising = False
    for turn in turns.tolist():
        value = float(level[turn])
        if is_rising:
            if value > high:
                high_at, high = turn, value
            elif value < high - _LEAST_TURN:
                if high >= threshold:
                    found.append((_passing(level, low_at, high_at, low, threshold), high))
                is_rising, low_at, low = False, turn, value
        elif value < low:
            low_at, low = turn, value
        elif value > low + _LEAST_TURN:
            is_rising, high_at, high = True, turn, value
    if is_rising and high >= threshold:
        found.append((_passing(level, low_at, high_at, low, threshold), high))
    return found


def _passing(level: Float32Array, low_at: int, high_at: int, low: float, threshold: float) -> int:
    """Return the hop at which a rise is both clear and over the threshold."""
    first = max(low_at, 0)
    over = level[first : high_at + 1] >= max(threshold, low + _LEAST_TURN / 2)
    return first + int(over.argmax())


def stronger_of_close(times: FloatArray, strengths: FloatArray, gap: float) -> list[int]:
    """Return which hits stay, so that none is closer to another than the gap: of two the stronger.

    Parameters
    ----------
    times : float64, shape (n,), seconds, ascending
    strengths : float64, shape (n,)
    gap : float, seconds

    Returns
    -------
    list of int
        Indices into both, ascending.
    """
    kept: list[int] = []
    for index, time in enumerate(times):
        if not kept or time - times[kept[-1]] >= gap:
            kept.append(index)
        elif strengths[index] > strengths[kept[-1]]:
            kept[-1] = index
    return kept
