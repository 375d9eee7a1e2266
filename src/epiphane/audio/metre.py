"""Metre and downbeats: how many beats a bar has, and on which beats bars begin."""

from collections.abc import Sequence

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.network import Ranker
from epiphane.audio.subdivision import (
    CHANGE,
    HAT,
    KICK,
    LOW,
    N_SIGNALS,
    PARTS,
    SNARE,
    Grid,
    at_lags,
    repetition,
)
from epiphane.types import FloatArray, IntArray

METRES = (2, 3, 4, 5, 6, 7)
CANDIDATES = tuple((n_beats, first) for n_beats in METRES for first in range(n_beats))
_LONGEST_LAG = 15
_WINDOW_BEATS, _HOP_BEATS = 48, 16
_LEAST_SCORE = -8.0
_LEAST_ACCENT = 0.2
_MOST_SHARES = 4
# A bar of two is half a bar of four, and much rarer than among the songs learned from: with less of a lead
# the demo's song, which is written in fours, is heard in twos.
_LEAD_OF_TWO = 4.5
_NEAR = (KICK, SNARE, LOW, CHANGE)


class Bars(Struct, frozen=True, eq=False):
    """Bars of a song.

    Attributes
    ----------
    beats_per_bar : int, 2 to 7
    places : int64, shape (n_beats,)
        The place of each beat in its bar, from 0.
    confidence : float, 0 to 1
        The share of belief in this metre and these downbeats.
    shares : of beats to the bar, the first downbeat and the share of belief, the likeliest first
    """

    beats_per_bar: int
    places: IntArray
    confidence: float
    shares: tuple[tuple[int, int, float], ...] = ()


class _Song(Struct, frozen=True, eq=False):
    """Beats of a grid whose every twelfth part is a beat: what stands out on them, how alike they are."""

    accents: FloatArray
    likeness: FloatArray
    alike: FloatArray


def find_metre(grid: Grid, ranker: Ranker, *, jump_cost: float) -> Bars:
    """Return the bars of a song whose grid was made of its beats.

    One metre holds for the song; where bars begin may change once the evidence of 48 beats is worth
    `jump_cost`.
    """
    n_beats = (len(grid.times) - 1) // PARTS + 1
    twos = np.array([metre == 2 for metre, _ in CANDIDATES])
    scores = ranker.scores(describe_metres(grid)) - _LEAD_OF_TWO * twos
    shares = np.exp(scores - np.logaddexp.reduce(scores))
    chosen = int(scores.argmax())
    metre, first = CANDIDATES[chosen]
    firsts = np.full(n_beats, first)
    if n_beats >= _WINDOW_BEATS + 2 * _HOP_BEATS:
        firsts = _firsts_over_time(grid, ranker, metre, n_beats, jump_cost)
    order = np.argsort(-shares)[:_MOST_SHARES]
    kept = tuple((*CANDIDATES[number], float(shares[number])) for number in order)
    return Bars(metre, (np.arange(n_beats) - firsts) % metre, float(shares[chosen]), kept)


def accented_bars(levels: FloatArray) -> Bars | None:
    """Return the bars of clicks whose loudest comes round, or None where none stands out by two decibels.

    Parameters
    ----------
    levels : float64, shape (n_beats,)
        Log10 power of each click.
    """
    found: tuple[float, int, int] = (_LEAST_ACCENT, 0, 0)
    for n_beats in METRES:
        if len(levels) < 2 * n_beats:
            continue
        # Three in four of the first ones must be louder than three in four of every other place.
        low, high = np.array([np.quantile(levels[k::n_beats], (0.25, 0.75)) for k in range(n_beats)]).T
        first = int(low.argmax())
        found = max(found, (float(low[first] - np.delete(high, first).max()), n_beats, first))
    _, metre, first = found
    return Bars(metre, (np.arange(len(levels)) - first) % metre, 1.0) if metre else None


def _firsts_over_time(grid: Grid, ranker: Ranker, metre: int, n_beats: int, jump_cost: float) -> IntArray:
    """Return for each beat which beat (modulo the metre) bars around it begin on: a Viterbi path."""
    starts = np.arange(0, n_beats - _WINDOW_BEATS + _HOP_BEATS, _HOP_BEATS)
    rows = []
    for start in starts:
        part = Grid(
            grid.times[start * PARTS : (start + _WINDOW_BEATS) * PARTS],
            grid.signals[start * PARTS : (start + _WINDOW_BEATS) * PARTS],
            grid.period,
        )
        scores = ranker.scores(describe_metres(part, [(metre, first) for first in range(metre)]))
        scores = scores - np.logaddexp.reduce(scores)
        rows.append(np.roll(scores, start % metre))
    # Windows overlap, so each counts for the beats that it adds.
    observed = np.maximum(np.array(rows), _LEAST_SCORE) * _HOP_BEATS / _WINDOW_BEATS * 1.5
    path = _viterbi(observed, jump_cost * (1 - np.eye(metre)))
    centres = starts + _WINDOW_BEATS // 2 - _HOP_BEATS // 2
    which = np.clip(np.searchsorted(centres, np.arange(n_beats), side="right") - 1, 0, len(path) - 1)
    return np.asarray(path[which])


def _viterbi(observed: FloatArray, costs: FloatArray) -> IntArray:
    score, came_from = observed[0].copy(), []
    for row in observed[1:]:
        options = score[:, None] - costs
        came_from.append(options.argmax(axis=0))
        score = options.max(axis=0) + row
    path = [int(score.argmax())]
    for back in came_from[::-1]:
        path.append(int(back[path[-1]]))
    return np.array(path[::-1], np.int64)


def describe_metres(grid: Grid, candidates: Sequence[tuple[int, int]] = CANDIDATES) -> FloatArray:
    """Return what speaks for each candidate (beats to the bar, first downbeat), shape (n, n_features).

    Parameters
    ----------
    grid : Grid
    candidates : sequence of (int, int)
        Beats to the bar, and the number of the beat, from 0, that the first bar begins with.
    """
    song = _study(grid)
    return np.array([_describe(song, grid.period, n_beats, first) for n_beats, first in candidates])


def _study(grid: Grid) -> _Song:
    signals = grid.signals.astype(np.float64)
    on_beats = signals[::PARTS]
    accents = on_beats - ndi.uniform_filter1d(on_beats, 17, axis=0, mode="nearest")
    n_whole = len(on_beats) - 1
    likeness = np.zeros(_LONGEST_LAG + 1)
    if n_whole > 3:
        patterns = signals[: n_whole * PARTS : 2].reshape(n_whole, -1)
        patterns = patterns - patterns.mean(axis=0)
        norms = np.linalg.norm(patterns, axis=1) + 1e-6
        for lag in range(1, min(_LONGEST_LAG, n_whole - 4) + 1):
            dots = (patterns[:-lag] * patterns[lag:]).sum(axis=1)
            likeness[lag] = (dots / (norms[:-lag] * norms[lag:])).mean()
    return _Song(accents, likeness, repetition(grid))


def _describe(song: _Song, period: float, n_beats: int, first: int) -> FloatArray:
    accents, likeness = song.accents, song.likeness
    downbeats = np.arange(first, len(accents), n_beats)
    middle = _mean(accents, downbeats + n_beats // 2) if n_beats in (4, 6) else np.zeros(N_SIGNALS)
    backbeat = np.zeros(2)
    if n_beats == 4:
        backbeat = _mean(accents, np.concatenate([downbeats + 1, downbeats + 3]))[[KICK, SNARE]]
    near = list(_NEAR)
    at_bar = likeness[n_beats]
    others = [likeness[lag] for lag in range(2, 8) if lag % n_beats and n_beats % lag]
    elsewhere = np.mean([likeness[lag] for lag in range(1, 13) if lag % n_beats])
    at_two_bars = likeness[2 * n_beats] - np.mean(likeness[1 : 2 * n_beats])
    is_metre = np.array([float(n_beats == metre) for metre in METRES])
    tempo = np.log2(60 / period / 120)
    return np.concatenate(
        [
            _mean(accents, downbeats),
            _mean(accents, downbeats - 1)[near],
            _mean(accents, downbeats + 1)[near],
            middle[near],
            backbeat,
            [_mean(accents, downbeats)[HAT] - _mean(accents, downbeats + 1)[HAT]],
            (at_bar - elsewhere) * is_metre,
            [
                at_bar - max(others, default=0.0),
                at_two_bars,
                at_bar - likeness[n_beats // 2] if n_beats in (2, 4, 6) else 0.0,
            ],
            is_metre,
            tempo * is_metre,
            at_lags(song.alike, [PARTS * n_beats * bars for bars in (1 / 2, 1, 2)]),
            at_lags(song.alike, [PARTS * (n_beats - 1), PARTS * (n_beats + 1)]),
        ]
    )


def _mean(accents: FloatArray, places: IntArray) -> FloatArray:
    places = places[(places >= 0) & (places < len(accents))]
    return accents[places].mean(axis=0) if len(places) else np.zeros(N_SIGNALS)
