"""Beat tracking by dynamic programming: the most likely path through beat times and intervals."""

import numpy as np

from epiphane.audio.onset import Onsets
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.audio.tempo import TEMPI, TempoCurve
from epiphane.types import Float32Array, FloatArray, IntArray

# Tempo may drift this far from the song's tempo, as a factor.
_TEMPO_SPAN = 1.42
_TEMPO_STIFFNESS = 100.0
# What the tempo is around a moment counts for more than what it is in the whole song: tempi may jump.
_LOCAL_SHARE = 0.9

# Log flux has its peak a few milliseconds before the attack; the exact time is found later.
_FLUX_LEAD_SECONDS = 0.005


def follow_beats(onsets: Onsets, tempo: TempoCurve) -> FloatArray:
    """Return the times of the beats that explain the onsets best, to within a hop.

    The bar-pointer model with tempo changes at beats only (Krebs, Böck & Widmer, ISMIR 2015), as a
    semi-Markov chain over (hop of the beat, interval to the next). The best score of a beat at hop
    t after which interval j is taken is

        D(t, j) = max_i [D(t - tau_i, i) + g_i z(t) + log P_ij] + W(t, j)

    All hops of one block of the shortest interval depend on earlier blocks only, so the search is
    exact and runs a block at a time.

    Returns
    -------
    float64, shape (n_beats,), seconds, ascending
    """
    usual = 60 * HOPS_PER_SECOND / tempo.tempo
    intervals = np.arange(int(usual / _TEMPO_SPAN), int(np.ceil(usual * _TEMPO_SPAN)) + 1)
    n_hops = len(onsets.strength)
    seconds = np.minimum((np.arange(n_hops) / HOPS_PER_SECOND + 0.5).astype(np.int64), len(tempo.fit) - 1)
    hops = _best_path(onsets.strength, intervals, _log_fit(tempo, intervals), seconds)
    return hops / HOPS_PER_SECOND + _FLUX_LEAD_SECONDS


def _log_fit(tempo: TempoCurve, intervals: IntArray) -> Float32Array:
    """Return how likely each interval is at each second: a log weight, 0 for the best."""
    bpm = 60 * HOPS_PER_SECOND / intervals
    local = np.stack([np.interp(bpm, TEMPI, row) for row in tempo.fit])
    near = -0.5 * (np.log2(bpm / tempo.tempo) / 0.5) ** 2
    weight = (
        np.log(np.maximum(_LOCAL_SHARE * local + (1 - _LOCAL_SHARE) * local.mean(axis=0), 0) + 0.02) + near
    )
    weight -= weight.max(axis=1, keepdims=True)
    # Per beat, not per hop: a slow tempo has fewer beats in which to pay.
    return np.asarray(weight * intervals * tempo.tempo / (60 * HOPS_PER_SECOND), np.float32)


def _transitions(intervals: IntArray) -> Float32Array:
    change = -_TEMPO_STIFFNESS * np.abs(intervals[None, :] / intervals[:, None] - 1)
    return np.asarray(change - np.log(np.exp(change).sum(axis=1, keepdims=True)), np.float32)


def _best_path(
    strength: Float32Array, intervals: IntArray, log_fit: Float32Array, seconds: IntArray
) -> IntArray:
    """Return the hops of the best path; `seconds` is the row of `log_fit` that each hop has."""
    n_hops, shortest, longest = len(strength), int(intervals.min()), int(intervals.max())
    gain = np.sqrt(intervals / np.exp(np.log(intervals).mean())).astype(np.float32)
    transitions = _transitions(intervals)
    column = np.arange(len(intervals))
    # Hop t is in row t % n_kept: older ones are not asked for again. Rows that are still zero are hops before
    # the song: a path may begin anywhere for free.
    n_kept = longest + shortest
    score = np.zeros((n_kept, len(intervals)), np.float32)
    came_from = np.empty((n_hops, len(intervals)), np.uint8)
    for first in range(0, n_hops, shortest):
        hops = np.arange(first, min(first + shortest, n_hops))
        arrived = score[(hops[:, None] - intervals) % n_kept, column] + gain * strength[hops][:, None]
        options = arrived[:, :, None] + transitions
        best = options.argmax(axis=1)
        came_from[hops] = best
        arrived = np.take_along_axis(options, best[:, None, :], 1)[:, 0]
        score[hops % n_kept] = arrived + log_fit[seconds[hops]]
    tail = np.arange(max(0, n_hops - longest), n_hops)
    ends = score[tail % n_kept]
    ends[tail[:, None] + intervals < n_hops] = -np.inf  # a path must run to the end of the song
    hop, state = np.unravel_index(int(ends.argmax()), ends.shape)
    return _walk_back(int(tail[hop]), int(state), came_from, intervals)


def _walk_back(hop: int, state: int, came_from: np.ndarray, intervals: IntArray) -> IntArray:
    path = []
    while hop >= 0:
        path.append(hop)
        state = int(came_from[hop, state])
        hop -= int(intervals[state])
    return np.array(path[::-1], np.int64)
