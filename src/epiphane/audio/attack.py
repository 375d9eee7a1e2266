"""Onset times refined to a fraction of a millisecond: when a sound physically begins."""

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from epiphane.audio.mapped_array import release
from epiphane.types import Float32Array, FloatArray

BINS_PER_SECOND = 1000
_ATTACKS_AT_ONCE = 500
# A minute at a time, with what is looked at around it.
_BINS_AT_ONCE, _MARGIN_BINS = 60 * BINS_PER_SECOND, BINS_PER_SECOND
_BEFORE_BINS = 10
# Falling weights: with equal ones a single click would rise as much 4 ms before it as on it.
# In the order of a convolution: the last weight is that of the present millisecond.
_AFTER_WEIGHTS = np.arange(1, 6) / 15
_FLOOR_SHARE = 1e-3
# A tenth would be passed by what lossy formats smear ahead of an attack, a third late by drums.
_ONSET_SHARE = 0.2
# Where nothing at all sounded before, nothing is smeared either, and a soft beginning is the attack.
_SILENCE_SHARE, _SOFT_SHARE = 1e-4, 0.02
_LEAST_GROWTH, _MOST_GROWTH = 1.15, 4.0  # from a quarter of the rise to the next
CLEAR_RISE = 1.0
"""A rise (in natural log units of energy) from which an attack is taken as one."""


def first_attack(mono: Float32Array, rate: int) -> float:
    """Return when a sound file is struck, in seconds: where its energy first rises as it does at its most."""
    curve = attack_curve(mono, rate)
    strong = np.flatnonzero(curve >= 0.5 * curve.max(initial=0.0)) if len(curve) else np.array([])
    if not len(strong):
        return 0.0
    around = curve[strong[0] : strong[0] + _BEFORE_BINS]  # it looks some milliseconds ahead
    return float(strong[0] + np.argmax(around)) / BINS_PER_SECOND


def attack_curve(mono: Float32Array, rate: int) -> Float32Array:
    """Return how suddenly energy rises at every millisecond.

    The sum over the sound and its difference signal of ``max(0, log(after / before))``, after the
    mean energy of the next 5 ms, the nearest weighing most, and before that of the last 10 ms, both
    lifted by a thousandth of the loudest millisecond within half a second.

    Returns
    -------
    float32, shape (n_milliseconds,); index k is the instant k / 1000 s
    """
    import scipy.ndimage as ndi  # late: it loads much of SciPy

    n_bins = int(len(mono) / rate * BINS_PER_SECOND)
    curve = np.zeros(n_bins, np.float32)
    energies = [_bin_energies(mono, rate, n_bins, transform) for transform in (_itself, _difference)]
    for first in range(0, n_bins, _BINS_AT_ONCE):
        end = min(first + _BINS_AT_ONCE, n_bins)
        begin = max(0, first - _MARGIN_BINS)
        total = np.zeros(end - first)
        for energy in energies:
            part = energy[begin : end + _MARGIN_BINS].astype(np.float64)
            floor = ndi.maximum_filter1d(part, BINS_PER_SECOND + 1, mode="nearest") * _FLOOR_SHARE + 1e-12
            after = np.convolve(part, _AFTER_WEIGHTS)[len(_AFTER_WEIGHTS) - 1 :]
            before = np.convolve(part, np.full(_BEFORE_BINS, 1 / _BEFORE_BINS))[: len(part)]
            before = np.concatenate([[0.0], before])[: len(part)]
            rises = np.maximum(0, np.log((after + floor) / (before + floor)))
            total += rises[first - begin : end - begin]
        curve[first:end] = total
    return curve


def _itself(samples: Float32Array) -> Float32Array:
    return samples[1:]


def _difference(samples: Float32Array) -> Float32Array:
    return np.asarray(np.diff(samples))


def _bin_energies(
    mono: Float32Array, rate: int, n_bins: int, transform: Callable[[Float32Array], Float32Array]
) -> Float32Array:
    """Return the mean square in each of `n_bins` milliseconds of what `transform` makes of a sound.

    It is given ten seconds at a time, with the sample before them: running sums of the whole song would
    be half of all memory.
    """
    energies = np.empty(n_bins, np.float32)
    for first in range(0, n_bins, 10 * BINS_PER_SECOND):
        bins = np.arange(first, min(first + 10 * BINS_PER_SECOND, n_bins) + 1)
        part = np.round(bins * rate / BINS_PER_SECOND).astype(np.int64)
        before = mono[max(part[0] - 1, 0) : max(part[0], 1)]
        samples = transform(np.concatenate([before, mono[part[0] : part[-1]]]))
        squares = np.square(samples, dtype=np.float64)
        sums = np.concatenate([[0.0], np.cumsum(squares)])[part - part[0]]
        energies[first : first + len(part) - 1] = np.diff(sums) / np.maximum(np.diff(part), 1)
        release(mono)
    return energies


def nearest_attacks(curve: Float32Array, times: FloatArray, *, reach: float, tendency: float) -> FloatArray:
    """Return the attack near each time, or NaN where there is none.

    Parameters
    ----------
    curve : float32, shape (n_milliseconds,)
        From `attack_curve`.
    times : float64, shape (n,), seconds
    reach : float, seconds
        How far from a time its attack may be.
    tendency : float, seconds
        Standard deviation of a preference for attacks close by.

    Returns
    -------
    float64, shape (n,), seconds
    """
    if len(curve) == 0 or len(times) == 0:
        return np.full(len(times), np.nan)
    offsets = np.arange(-round(reach * BINS_PER_SECOND), round(reach * BINS_PER_SECOND) + 1)
    centre = np.round(times * BINS_PER_SECOND).astype(np.int64)
    rises = curve[np.clip(centre[:, None] + offsets, 0, len(curve) - 1)]
    weighted = rises * np.exp(-0.5 * (offsets / BINS_PER_SECOND / tendency) ** 2)
    best = weighted.argmax(axis=1)
    found = (centre + offsets[best]) / BINS_PER_SECOND
    return np.where(weighted[np.arange(len(times)), best] > CLEAR_RISE, found, np.nan)


def exact_attacks(mono: Float32Array, rate: int, times: FloatArray) -> FloatArray:
    """Return attack times to the sample: where the sound first leaves what came before it.

    Within 3 ms of each attack found to the millisecond, the first step from sample to sample that
    passes a fifth of the attack's largest and half as much again as any of the 12 ms before; out of
    silence, the first that rises to it. Steps rather than levels, because a bass note may swing high
    without anything beginning.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    times : float64, shape (n,), seconds
        From `nearest_attacks`, without NaN.

    Returns
    -------
    float64, shape (n,), seconds; NaN where the attack does not stand out by four times
    """
    reach, memory = round(0.003 * rate), round(0.012 * rate)
    found = np.full(len(times), np.nan)
    for index, time in enumerate(times):
        first = max(0, round(time * rate) - reach)
        begin = max(0, first - memory - 1)
        steps = np.abs(np.diff(mono[begin : first + 2 * reach], prepend=0.0))
        after, before = steps[first - begin :], steps[1 : first - begin]
        if index % _ATTACKS_AT_ONCE == 0:
            release(mono)
        if len(after) == 0:
            continue
        peak, usual = float(after.max()), float(before.max(initial=0.0))
        if peak > 4 * usual:
            sure = int(np.argmax(after > max(peak * _ONSET_SHARE, 1.5 * usual)))
            is_out_of_silence = usual < peak * _SILENCE_SHARE
            found[index] = (first + (_soft_start(after[: sure + 1]) if is_out_of_silence else sure)) / rate
    return found


def _soft_start(steps: Float32Array) -> int:
    """Return where a rise out of silence begins; its end where it does not rise all the way.

    What lossy formats smear ahead of an attack is level and then jumps; a soft attack grows throughout.
    """
    start = int(np.argmax(steps > steps[-1] * _SOFT_SHARE))
    quarters = [float(part.max(initial=0.0)) for part in np.array_split(steps[start:], 4)]
    grows = all(
        _LEAST_GROWTH * earlier < later < _MOST_GROWTH * earlier for earlier, later in pairwise(quarters)
    )
    is_whole = start > len(steps) // 8  # else it began before these steps do
    return start if grows and is_whole else len(steps) - 1
