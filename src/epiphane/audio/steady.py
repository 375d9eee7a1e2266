"""Music made to a machine's clock: one exact tempo for the whole song, if it has one."""

from itertools import pairwise

import numpy as np
import scipy.fft
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.attack import BINS_PER_SECOND, exact_attacks, nearest_attacks
from epiphane.audio.spectrum import HOPS_PER_SECOND
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
# Where attacks are known to the millisecond only, a line through them is no better than this.
_MOST_MOVED_SECONDS = 0.004


class SteadyGrid(Struct, frozen=True):
    """Half-beats at ``phase + k * half_beat`` seconds for every whole k."""

    half_beat: float
    phase: float

    @property
    def tempo(self) -> float:
        """Beats a minute."""
        return 30 / self.half_beat

    def half_beats_until(self, duration: float) -> FloatArray:
        """Return the times of all half-beats from 0 to `duration`, seconds."""
        # A beat on the very first sample is one, though it may be heard a little before it; one in
        # the last hundredths of a second is the beginning of what has been cut off.
        first = np.ceil((-0.005 - self.phase) / self.half_beat)
        last = np.floor((duration - self.phase) / self.half_beat)
        return np.maximum(self.phase + np.arange(first, last + 1) * self.half_beat, 0.0)


def fit_steady_grid(
    mono: Float32Array,
    rate: int,
    *,
    strength: Float32Array,
    attacks: Float32Array,
    beats: FloatArray,
    tempo: float,
) -> SteadyGrid | None:
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
    grid = _comb_fit(attacks, _periodogram_fit(strength, tempo), beats)
    if not _is_kept(grid, attacks, beats):
        return None
    numbers, times = _exact_hits(mono, rate, grid, attacks, beats)
    if len(numbers) < max(4, 0.25 * len(beats)):
        return _round_tempo(grid, beats)
    line = _line_fit(numbers, times, grid)
    off = times - line.phase - numbers * line.half_beat
    spread = float(np.median(np.abs(off - np.median(off))))
    fitted = _round_tempo(line, beats, most_moved=min(max(2 * spread, 0.0005), _MOST_MOVED_SECONDS))
    shift = float(np.median(times - fitted.phase - numbers * fitted.half_beat))
    return SteadyGrid(fitted.half_beat, fitted.phase + shift)


def _periodogram_fit(strength: Float32Array, tempo: float) -> SteadyGrid:
    """Maximise the sum of the spectrum at one, two and four times the beat rate."""
    signal = strength - strength.mean()
    seconds = len(signal) / HOPS_PER_SECOND
    n_fft = scipy.fft.next_fast_len(8 * len(signal))
    magnitude = np.abs(scipy.fft.rfft(signal, n_fft))
    frequency = np.arange(len(magnitude)) * HOPS_PER_SECOND / n_fft
    beat = 60 / tempo
    # Steps that move the last beat by 4 ms.
    step = 0.004 * beat / seconds
    periods = beat + np.arange(-int(0.03 * beat / step), int(0.03 * beat / step) + 1) * step
    score = sum(np.interp(n / periods, frequency, magnitude) for n in (1, 2, 4))
    period = float(periods[int(np.argmax(score))])
    times = np.arange(len(signal)) / HOPS_PER_SECOND
    turn = np.angle(np.sum(signal * np.exp(-4j * np.pi * times / period)))
    return SteadyGrid(period / 2, float(-turn / (2 * np.pi) % 1 * period / 2))


def _comb_fit(attacks: Float32Array, grid: SteadyGrid, beats: FloatArray) -> SteadyGrid:
    """Move period and phase to where the comb of half-beats meets the most attacks."""
    smooth = ndi.gaussian_filter1d(np.minimum(attacks, 6.0), 3.0)
    numbers = np.unique(np.round((beats - grid.phase) / grid.half_beat))
    numbers = np.arange(numbers[0], numbers[-1] + 1)
    middle, half = (numbers[0] + numbers[-1]) / 2, max((numbers[-1] - numbers[0]) / 2, 1.0)
    period, centre = grid.half_beat, grid.phase + grid.half_beat * middle
    bins = np.arange(len(smooth))
    for reach, n_steps in ((0.020, 21), (0.0025, 21), (0.0004, 9)):
        shifts = np.linspace(-reach, reach, n_steps)
        score = np.empty((n_steps, n_steps))
        for row, change in enumerate(shifts / half):
            times = centre + shifts[:, None] + (period + change) * (numbers - middle)
            score[row] = np.interp(times * BINS_PER_SECOND, bins, smooth).mean(axis=1)
        best_period, best_shift = np.unravel_index(int(score.argmax()), score.shape)
        period, centre = period + shifts[best_period] / half, centre + shifts[best_shift]
    return SteadyGrid(float(period), float(centre - period * middle))


def _is_kept(grid: SteadyGrid, attacks: Float32Array, beats: FloatArray) -> bool:
    """Whether the song stays on the grid from its first beat to its last.

    Either attacks and followed beats both agree with it, or the attacks do so closely that the beats
    must have been followed off the grid. In neither case may it be left: a change of tempo near the end
    leaves most of a song on the grid of its beginning.
    """
    on_grid = _nearest_on(grid, beats)
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
    tolerance = min(0.03, 0.17 * grid.half_beat)
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


def _round_tempo(
    grid: SteadyGrid, beats: FloatArray, *, most_moved: float = _MOST_MOVED_SECONDS
) -> SteadyGrid:
    """Take the whole number of BPM if the song cannot be told from it: that is what people set.

    It cannot if that moves the first and last beat by `most_moved` seconds at most.
    """
    whole = round(grid.tempo)
    rounded = SteadyGrid(30 / whole, 0.0)
    middle = round(((beats[0] + beats[-1]) / 2 - grid.phase) / grid.half_beat)
    moved = abs(rounded.half_beat - grid.half_beat) * (beats[-1] - beats[0]) / 2 / grid.half_beat
    if moved > most_moved or abs(grid.tempo - whole) > 0.05:
        return grid
    centre = grid.phase + middle * grid.half_beat
    return SteadyGrid(rounded.half_beat, centre - middle * rounded.half_beat)


def _exact_hits(
    mono: Float32Array, rate: int, grid: SteadyGrid, attacks: Float32Array, beats: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Return the half-beat number and the time of attacks known to the sample, near the beats."""
    numbers = np.round((beats - grid.phase) / grid.half_beat)
    near = nearest_attacks(attacks, grid.phase + numbers * grid.half_beat, reach=0.020, tendency=0.012)
    known = np.isfinite(near)
    times = exact_attacks(mono, rate, near[known])
    exact = np.isfinite(times)
    return numbers[known][exact], times[exact]


def _line_fit(numbers: FloatArray, times: FloatArray, grid: SteadyGrid) -> SteadyGrid:
    """Fit period and phase to attack times by least squares, leaving out those that lie apart."""
    period, phase = grid.half_beat, grid.phase
    for _ in range(8):
        off = times - phase - numbers * period
        off -= np.median(off)
        kept = np.abs(off) <= max(0.001, 2.5 * float(np.median(np.abs(off))))
        if np.ptp(numbers[kept]) < 2:
            break
        period, phase = np.polyfit(numbers[kept], times[kept], 1)
    return SteadyGrid(float(period), float(phase))


def _nearest_on(grid: SteadyGrid, times: FloatArray) -> FloatArray:
    return grid.phase + np.round((times - grid.phase) / grid.half_beat) * grid.half_beat
