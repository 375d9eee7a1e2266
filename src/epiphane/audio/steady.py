"""Constant-tempo detection: the exact tempo of music made to a machine clock, if it has one."""

from itertools import pairwise

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.attack import BINS_PER_SECOND, nearest_attacks
from epiphane.audio.comb import Comb, comb_fit, periodogram_fit, phased, refined
from epiphane.types import BoolArray, Float32Array, FloatArray

_MOST_MEDIAN_SECONDS = 0.006
_MOST_DRIFT_SECONDS = 0.012
_LEAST_AGREEMENT = 0.7
_FEWEST_BEATS = 8
_WINDOW_SECONDS = 8.0
# Beats are decoded without a grid, so where a player wanders they wander with him: on songs rendered
# in code they strayed up to 14 ms over 4 s from a machine's clock, and 18 ms or more from a player's.
_STRAY_WINDOW_SECONDS, _MOST_STRAY_SECONDS = 4.0, 0.016
# Attacks that lie this close to a grid are there by no chance.
_CLOSE_SECONDS, _LEAST_CLOSE = 0.002, 0.8
_LEFT_SECONDS, _LEAST_ON_GRID, _LEAST_FOLLOWED = 0.02, 0.3, 0.6
# Attacks as a whole, in windows of eight seconds, two apart.
_WINDOW_HOP_SECONDS, _REACH_BINS, _SMOOTH_BINS = 2.0, 50, 4.0
_MOST_LYING_OFF, _LEAST_PROMINENCE, _LEAST_LYING_ON = 0.0125, 0.4, 0.75
_NEVER_LYING_OFF, _NEAR_SECONDS = 0.028, 0.03
# Machines read 0.40 and more, 2.4 ms and less, 2.4 ms and less; no player of 34 had all three.
_LEAST_HEARD, _LEAST_MACHINE_PROMINENCE, _MOST_MACHINE_STRAY, _MOST_MACHINE_SPREAD = 0.5, 0.35, 0.004, 0.0035


def fit_steady_grid(
    mono: Float32Array,
    rate: int,
    *,
    strength: Float32Array,
    attacks: Float32Array,
    beats: FloatArray,
    tempo: float,
) -> Comb | None:
    """Return the constant grid that the song was made to, or None if it keeps its own time.

    The period comes from the harmonic periodogram of the whole onset curve near `tempo`, then
    period and phase from the attacks under a comb of half-beats. The song is taken as steady if
    the attacks lie on the comb within a few milliseconds everywhere, most decoded beats agree, and
    they never disagree for long: by chance some 30 % agree with any comb, so the share alone
    proves nothing.

    Parameters
    ----------
    mono, rate : the song
    strength : float32, shape (n_hops,), from `onset_strength`
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    beats : float64, shape (n_beats,), seconds, from `follow_beats`
    tempo : float, BPM
    """
    if len(beats) < _FEWEST_BEATS:
        return None
    pulled = periodogram_fit(strength, tempo)
    for start in (pulled, phased(attacks, pulled)):
        comb = comb_fit(attacks, start, beats)
        stray = _stray(lie_of_attacks(attacks, comb.between(beats))[0])
        if stray <= _NEVER_LYING_OFF and _is_kept(comb, attacks, beats):
            return refined(mono, rate, comb, attacks, beats)
    return None


def clock_of_attacks(
    mono: Float32Array, rate: int, *, strength: Float32Array, attacks: Float32Array, beats: FloatArray
) -> Comb | None:
    """Return the comb of half-beats that the attacks as a whole lie on, or None if there is none.

    For songs whose beats were followed off it: only their tempo counts. Attacks on a machine's clock are
    clearer, lie nearer to it throughout and deviate less from each other than any player's do.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    strength : float32, shape (n_hops,), from `onset_strength`
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    beats : float64, shape (n_beats,), seconds, ascending, two or more
    """
    tempo = 60 / float(np.median(np.diff(beats)))
    comb = comb_fit(attacks, phased(attacks, periodogram_fit(strength, tempo)), beats)
    teeth = comb.between(beats)
    return refined(mono, rate, comb, attacks, teeth) if is_machine(attacks, teeth) else None


def is_machine(attacks: Float32Array, teeth: FloatArray) -> bool:
    """Whether attacks are as clear on these instants, as near to them and as even as only machines play.

    Parameters
    ----------
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    teeth : float64, shape (n_teeth,), seconds, ascending
    """
    off, prominence = lie_of_attacks(attacks, teeth)
    near = nearest_attacks(attacks, teeth, reach=_NEAR_SECONDS, tendency=_NEAR_SECONDS / 2) - teeth
    heard = near[np.isfinite(near)]
    if len(heard) <= _LEAST_HEARD * len(teeth) or prominence < _LEAST_MACHINE_PROMINENCE:
        return False
    spread = float(np.median(np.abs(heard - np.median(heard))))
    return _stray(off) <= _MOST_MACHINE_STRAY and spread <= _MOST_MACHINE_SPREAD


def settle_on_clock(
    mono: Float32Array, rate: int, *, strength: Float32Array, attacks: Float32Array, beats: FloatArray
) -> Comb | None:
    """Return the comb of these beats, one instant each, or None if the song keeps its own time.

    A second look, once it is known which beats people tap: at halves and at thirds of them, and by where
    the attacks lie as a whole, seconds at a time, rather than by the single one next to each beat.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    strength : float32, shape (n_hops,), from `onset_strength`
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    beats : float64, shape (n_beats,), seconds, ascending
    """
    if len(beats) < _FEWEST_BEATS:
        return None
    tempo = 60 / float(np.median(np.diff(beats)))
    fitted = [comb_fit(attacks, periodogram_fit(strength, tempo, parts=parts), beats) for parts in (2, 3)]
    lying = [lie_of_attacks(attacks, comb.between(beats)) for comb in fitted]
    chosen = int(np.argmax([prominence for _, prominence in lying]))
    comb, (off, prominence) = fitted[chosen], lying[chosen]
    distance = beats - comb.every_beat(beats).nearest(beats)
    agreeing = np.abs(distance - np.median(distance)) < _NEAR_SECONDS
    is_on_it = _stray(off) < _MOST_LYING_OFF and prominence > _LEAST_PROMINENCE
    is_on_it = is_on_it and agreeing.mean() > _LEAST_LYING_ON
    return refined(mono, rate, comb, attacks, beats).every_beat(beats) if is_on_it else None


def _stray(off: FloatArray) -> float:
    """Return how far off most windows lie: the 90th percentile, seconds."""
    return float(np.quantile(np.abs(off - np.median(off)), 0.9))


def lie_of_attacks(attacks: Float32Array, teeth: FloatArray) -> tuple[FloatArray, float]:
    """Return how far off some instants the attacks lie as a whole, and how clearly.

    Parameters
    ----------
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    teeth : float64, shape (n_teeth,), seconds, ascending

    Returns
    -------
    float64, shape (n_windows,), seconds
        For windows of eight seconds, two apart: the shift of the instants at which they meet most attacks.
    float
        How much more they meet there than elsewhere: 0 where any shift is as good.
    """
    smooth = ndi.gaussian_filter1d(np.minimum(attacks, 6.0), _SMOOTH_BINS)
    shifts = np.arange(-_REACH_BINS, _REACH_BINS + 1)
    bins = np.round(teeth * BINS_PER_SECOND).astype(np.int64)[:, None] + shifts
    met = smooth[np.clip(bins, 0, len(smooth) - 1, out=bins)]
    off, prominence = [], []
    for start in np.arange(teeth[0], max(teeth[-1] - _WINDOW_SECONDS, teeth[0]) + 0.01, _WINDOW_HOP_SECONDS):
        inside = (teeth >= start - 0.01) & (teeth < start + _WINDOW_SECONDS)
        curve = met[inside].mean(axis=0)
        off.append(float(shifts[curve.argmax()]) / BINS_PER_SECOND)
        prominence.append(float(curve.max() - np.median(curve)))
    return np.array(off), float(np.mean(prominence))


def _is_kept(grid: Comb, attacks: Float32Array, beats: FloatArray) -> bool:
    """Whether the song stays on the grid from its first beat to its last.

    Either attacks and followed beats both agree with it, or the attacks do so closely that the beats
    must have been followed off the grid. In neither case may it be left: a change of tempo near the end
    leaves most of a song on the grid of its beginning.
    """
    on_grid = grid.nearest(beats)
    off = nearest_attacks(attacks, on_grid, reach=0.03, tendency=0.015) - on_grid
    heard = np.isfinite(off)
    if heard.sum() < _FEWEST_BEATS:
        return False
    centred = off - np.median(off[heard])
    if _is_left(centred, nearest_attacks(attacks, beats, reach=0.015, tendency=0.015) - on_grid, beats):
        return False
    spread = float(np.median(np.abs(centred[heard])))
    seconds = float(beats[-1] - beats[0])
    if spread < _CLOSE_SECONDS and _is_close(centred, beats):
        return True
    tolerance = min(0.03, 0.17 * grid.step)
    distance = beats - on_grid - np.median(beats - on_grid)
    astray = np.abs(distance) >= tolerance
    longest = max(12.0, 0.15 * seconds)
    return bool(
        spread < _MOST_MEDIAN_SECONDS
        and _drift(centred[heard], seconds, _WINDOW_SECONDS) < _MOST_DRIFT_SECONDS
        and _drift(distance, seconds, _STRAY_WINDOW_SECONDS) < _MOST_STRAY_SECONDS
        and 1 - astray.mean() > _LEAST_AGREEMENT
        and _longest_run(ndi.median_filter(astray, 9, mode="nearest"), beats) < longest
    )


def _is_left(centred: FloatArray, followed: FloatArray, beats: FloatArray) -> bool:
    """Whether attacks lie beside the grid, on the followed beats, for more than a moment.

    `centred` are attacks near the grid, `followed` attacks on the followed beats, both in seconds off it.
    """
    left = [
        _share(np.abs(near) < _MOST_MEDIAN_SECONDS) < _LEAST_ON_GRID
        and _share(np.abs(far) > _LEFT_SECONDS) > _LEAST_FOLLOWED
        for near, far in zip(_windows(centred, beats), _windows(followed, beats), strict=True)
    ]
    # One odd window may be a break; what is left at the end, or twice in a row, is left.
    return left[-1] or any(one and other for one, other in pairwise(left))


def _is_close(centred: FloatArray, beats: FloatArray) -> bool:
    """Whether attacks lie on the grid throughout, to within a few milliseconds."""
    on_grid = [_share(np.abs(part) < 2 * _CLOSE_SECONDS) >= 0.5 for part in _windows(centred, beats)]
    return _share(np.array(on_grid)) >= _LEAST_CLOSE


def _windows(values: FloatArray, beats: FloatArray) -> list[FloatArray]:
    """Return values of four seconds each, by the times of their beats."""
    n_windows = max(2, int((beats[-1] - beats[0]) / _STRAY_WINDOW_SECONDS))
    return list(np.array_split(values, n_windows))


def _share(flags: BoolArray) -> float:
    return float(np.mean(flags)) if len(flags) else 0.0


def _drift(off: FloatArray, seconds: float, window: float) -> float:
    """Return how far most windows of a song lie off: the 90th percentile of their medians, seconds."""
    parts = np.array_split(off, max(2, int(seconds / window)))
    medians = [abs(float(np.median(part))) for part in parts if len(part) >= 4]
    return float(np.percentile(medians, 90)) if medians else 0.0


def _longest_run(flags: BoolArray, beats: FloatArray) -> float:
    """Return the seconds of the longest unbroken run of set flags."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    runs = [beats[end - 1] - beats[start] for start, end in zip(edges[::2], edges[1::2], strict=True)]
    return float(max(runs, default=0.0))
