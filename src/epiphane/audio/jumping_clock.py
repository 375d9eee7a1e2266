"""A machine's clock that jumps: one tempo throughout, whose phase is constant for long and jumps a few times.

Loops that were put together, or a last part that starts late, leave seams of some hundredths of a second.
"""

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.attack import BINS_PER_SECOND, exact_attacks, nearest_attacks
from epiphane.audio.steady import is_machine, lie_of_attacks
from epiphane.types import BoolArray, Float32Array, FloatArray, IntArray

_FEWEST_BEATS, _FEWEST_END_BEATS, _MOST_BEATS = 28, 14, 3000
_MOST_JUMPS, _LEAST_JUMP_SECONDS, _MOST_JUMP_SECONDS = 6, 0.008, 0.07
_MOST_JUMP_BEATS = 0.17  # a quarter of a beat is another note, not a seam
_PARTS = (1, 2, 3)  # teeth to a beat
_JUMP_COST = 20.0  # in the rise of attacks that are missed
_SHIFTS = np.arange(-120, 121, 2)  # milliseconds
_SMOOTH_BINS, _MOST_RISE = 4.0, 6.0
_SLOPE_BEATS, _STEP_SHARE = 16, 6e-5
_N_STEPS, _N_STEPS_ON_CLOCK = 33, 9  # of tempi that are tried: a clock that leaves out a jump is a little off
_NEAR_SECONDS, _EXACT_SECONDS = 0.02, 0.012
_LEAST_EXACT_SHARE, _N_FITS, _CLOSE_SECONDS = 0.25, 6, 0.001


class JumpingClock(Struct, frozen=True, eq=False):
    """Beats at one tempo, and where they jump.

    Attributes
    ----------
    step : float, seconds
        From beat to beat.
    phases : float64, shape (n_stretches,), seconds
        Of each stretch between two jumps: where beat 0 would be.
    stretches : int64, shape (n_beats,)
        The number of the stretch that each beat is in.
    """

    step: float
    phases: FloatArray
    stretches: IntArray

    def beats(self, *, parts: int = 1) -> FloatArray:
        """Return the beats, or so many parts of each, shape (n_beats * parts,), seconds, ascending."""
        starts = self.phases[self.stretches] + np.arange(len(self.stretches)) * self.step
        return np.asarray((starts[:, None] + np.arange(parts) * self.step / parts).ravel())


def find_jumping_clock(
    mono: Float32Array, rate: int, *, attacks: Float32Array, beats: FloatArray, is_steady: bool
) -> JumpingClock | None:
    """Return the clock of one tempo that these beats are on but for a few jumps, or None if there is none.

    For tempi near that of the beats, the path of phases that meets the most attacks is found by a Viterbi
    search in which a jump costs as much as some attacks that are missed. On the best of all, attacks must lie
    as near as only machines play.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    beats : float64, shape (n_beats,), seconds, ascending
    is_steady : bool
        Whether they are on a clock that does not jump: attacks then must lie off it somewhere.
    """
    if not 2 * _FEWEST_END_BEATS <= len(beats) <= _MOST_BEATS:
        return None
    if is_steady and np.ptp(lie_of_attacks(attacks, beats)[0]) < _LEAST_JUMP_SECONDS:
        return None
    gaps = np.diff(beats)
    numbers = np.concatenate([[0], np.cumsum(np.maximum(1, np.round(gaps / np.median(gaps))))])
    bars = (beats[_SLOPE_BEATS:] - beats[:-_SLOPE_BEATS]) / (numbers[_SLOPE_BEATS:] - numbers[:-_SLOPE_BEATS])
    usual = float(np.median(bars))
    n_steps = _N_STEPS_ON_CLOCK if is_steady else _N_STEPS
    steps = usual * (1 + _STEP_SHARE * (np.arange(n_steps, dtype=np.float64) - n_steps // 2))
    first = float(np.median(beats - numbers * usual))
    n_beats = int(numbers[-1]) + 1
    rises = ndi.gaussian_filter1d(np.minimum(attacks, _MOST_RISE), _SMOOTH_BINS)
    usual_rise = float(rises.mean())
    paths = [(*_best_path(rises, steps, first, n_beats, parts), parts) for parts in _PARTS]
    _, step, phases, parts = max(paths, key=lambda path: path[0] - path[3] * n_beats * usual_rise)
    stretches = _stretches(phases, min(_MOST_JUMP_SECONDS, _MOST_JUMP_BEATS * step))
    if stretches is None:
        return None
    clock = _refined(mono, rate, attacks, JumpingClock(step, _means(phases, stretches), stretches))
    return clock if is_machine(attacks, clock.beats(parts=parts)) else None


def _best_path(
    rises: Float32Array, steps: FloatArray, first: float, n_beats: int, parts: int
) -> tuple[float, float, FloatArray]:
    """Return what the best path meets, its step, and its phase at each beat, seconds."""
    score = np.zeros((len(steps), len(_SHIFTS)), np.float32)
    jumps: list[tuple[BoolArray, IntArray]] = []
    for tooth in range(n_beats * parts):
        best = score.argmax(axis=1)
        anew = score[np.arange(len(steps)), best] - _JUMP_COST
        has_jumped = anew[:, None] > score
        if tooth % parts == 0:  # a beat is in one stretch
            score = np.maximum(score, anew[:, None])
            jumps.append((has_jumped, best))
        bins = np.round((first + tooth * steps / parts) * BINS_PER_SECOND).astype(np.int64)
        score = score + rises[np.clip(bins[:, None] + _SHIFTS, 0, len(rises) - 1)]
    chosen, state = np.unravel_index(int(score.argmax()), score.shape)
    met, path = float(score[chosen, state]), []
    for has_jumped, best in jumps[::-1]:
        path.append(state)
        state = best[chosen] if has_jumped[chosen, state] else state
    return met, float(steps[chosen]), first + _SHIFTS[np.array(path[::-1])] / BINS_PER_SECOND


def _stretches(phases: FloatArray, most: float) -> IntArray | None:
    """Return the stretch of each beat; None where nothing jumps, or by more than `most`, or at once again."""
    jumps = np.flatnonzero(np.abs(np.diff(phases)) > 0) + 1
    lengths = np.diff(np.concatenate([[0], jumps, [len(phases)]]))
    sizes = np.abs(phases[jumps] - phases[jumps - 1])
    if not 0 < len(jumps) <= _MOST_JUMPS or sizes.min() < _LEAST_JUMP_SECONDS or sizes.max() > most:
        return None
    if lengths[1:-1].min(initial=_FEWEST_BEATS) < _FEWEST_BEATS or lengths[[0, -1]].min() < _FEWEST_END_BEATS:
        return None
    return np.repeat(np.arange(len(lengths)), lengths)


def _means(values: FloatArray, stretches: IntArray) -> FloatArray:
    return np.asarray(np.bincount(stretches, values) / np.bincount(stretches))


def _refined(mono: Float32Array, rate: int, attacks: Float32Array, clock: JumpingClock) -> JumpingClock:
    """Return the clock through those attacks that are known to the sample, by least squares."""
    beats = clock.beats()
    near = nearest_attacks(attacks, beats, reach=_NEAR_SECONDS, tendency=_EXACT_SECONDS)
    known = np.flatnonzero(np.isfinite(near))
    times = exact_attacks(mono, rate, near[known])
    known, times = known[np.isfinite(times)], times[np.isfinite(times)]
    rows = clock.stretches[known]
    if len(known) < _LEAST_EXACT_SHARE * len(beats) or len(np.unique(rows)) < len(clock.phases):
        return clock
    step, phases = clock.step, clock.phases
    for _ in range(_N_FITS):
        off = times - phases[rows] - known * step
        off -= np.array([np.median(off[rows == number]) for number in range(len(phases))])[rows]
        kept = np.abs(off) <= max(_CLOSE_SECONDS, 2.5 * float(np.median(np.abs(off))))
        if len(np.unique(rows[kept])) < len(phases):
            break
        columns = np.column_stack([known[kept], rows[kept, None] == np.arange(len(phases))]).astype(float)
        found = np.linalg.lstsq(columns, times[kept], rcond=None)[0]
        step, phases = float(found[0]), found[1:]
    return JumpingClock(step, phases, clock.stretches)
