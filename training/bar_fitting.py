"""Fit the networks over the mean bar that tell which reading of the beats people would tap."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from epiphane.audio.network import BarLayer, BarRanker, Standard
from epiphane.audio.reading_features import BAR_LENGTHS, describe_tempi, mean_bars
from epiphane.audio.subdivision import N_SIGNALS, PARTS, Grid
from epiphane.types import BoolArray, Float32Array, FloatArray

N_EXCERPTS = 2  # of a song, beside the whole
_UNITS: Mapping[int, int] = {4: 24, 3: 16}
_EXCERPT_BLOCKS = (2, 5)  # at least, at most
_BLOCK_PARTS = 12 * PARTS  # after so many parts all readings have the offset that they began with
_N_EPOCHS, _BATCH_SONGS, _RATE = 25, 32, 2e-3
_PENALTY, _DROPPED_SHARE, _LEAST_DEVIATION = 1.5e-3, 0.25, 0.05
_MEMORY, _SQUARES_MEMORY, _TINY = 0.9, 0.999, 1e-8


@dataclass(frozen=True)
class Example:
    """A song, or a piece of it, as the networks see it.

    Attributes
    ----------
    bars : of beats to the bar: float16, shape (28, n_beats, 96)
    tempi : float64, shape (28, 15)
    right : bool, shape (28,)
    """

    bars: Mapping[int, np.ndarray]
    tempi: FloatArray
    right: BoolArray


def unheard_kit(rng: np.random.Generator, logits: FloatArray) -> FloatArray:
    """Return the logits of strokes as of an unheard kit: less sure, noisier, a drum hardly known."""
    n_drums = logits.shape[1]
    noise = rng.normal(-0.3, 0.8, n_drums) + rng.normal(0, 0.6, logits.shape)
    disturbed = logits * rng.uniform(0.5, 1.0, n_drums) + noise
    if rng.random() < 0.15:
        disturbed[:, int(rng.integers(3))] -= 3
    return np.asarray(disturbed)


def examples(rng: np.random.Generator, grid: Grid, right: BoolArray) -> Iterator[Example]:
    """Yield a song whole and in excerpts of 24 to 60 beats."""
    tempi = describe_tempi(grid.period)
    for signals in (grid.signals, *_excerpts(rng, grid.signals)):
        bars = {n_beats: mean_bars(signals, n_beats).astype(np.float16) for n_beats in BAR_LENGTHS}
        yield Example(bars, tempi, right)


def _excerpts(rng: np.random.Generator, signals: Float32Array) -> Iterator[Float32Array]:
    fewest, most = _EXCERPT_BLOCKS
    n_blocks = (len(signals) - 1) // _BLOCK_PARTS
    for _ in range(N_EXCERPTS if n_blocks > fewest else 0):
        length = int(rng.integers(fewest, min(n_blocks, most) + 1))
        first = int(rng.integers(0, n_blocks - length + 1)) * _BLOCK_PARTS
        yield signals[first : first + length * _BLOCK_PARTS + 1]


def fit_bar_ranker(found: Sequence[Example], *, seed: int) -> BarRanker:
    """Return a ranker of mean bars that gives most of the belief to the right readings of each example.

    The loss is that of `fit_ranker`. One signal in four is left out of each example at each step.
    """
    rng = np.random.default_rng(seed)
    songs = _Songs.of(found)
    ranker = _first_guess(rng, songs.standard, songs.tempi.shape[2])
    adam = _Adam(_parts(ranker))
    for epoch in range(_N_EPOCHS):
        order = rng.permutation(len(found))
        rate = _RATE * (1 - 0.9 * epoch / _N_EPOCHS)
        for first in range(0, len(order) - _BATCH_SONGS + 1, _BATCH_SONGS):
            is_kept = rng.random((_BATCH_SONGS, 1, 1, N_SIGNALS)) > _DROPPED_SHARE
            adam.step(songs.gradient(ranker, order[first : first + _BATCH_SONGS], is_kept), rate)
    return ranker


class _Adam:
    """Steps down a slope whose size adapts to each number (Kingma & Ba, ICLR 2015); large numbers cost."""

    def __init__(self, parts: Sequence[np.ndarray]) -> None:
        self._parts = parts
        self._means = [np.zeros_like(part) for part in parts]
        self._squares = [np.zeros_like(part) for part in parts]
        self._n_steps = 0

    def step(self, slopes: Sequence[np.ndarray], rate: float) -> None:
        """Change the parts by one step of about `rate`."""
        self._n_steps += 1
        of_mean, of_squares = (1 - share**self._n_steps for share in (_MEMORY, _SQUARES_MEMORY))
        for part, mean, squares, free in zip(self._parts, self._means, self._squares, slopes, strict=True):
            slope = free + 2 * _PENALTY * part
            mean[...] = _MEMORY * mean + (1 - _MEMORY) * slope
            squares[...] = _SQUARES_MEMORY * squares + (1 - _SQUARES_MEMORY) * slope**2
            part[...] = part - rate * mean / of_mean / (np.sqrt(squares / of_squares) + _TINY)


def _parts(ranker: BarRanker) -> list[np.ndarray]:
    """Return the arrays that are fitted; changing them changes the ranker."""
    return [ranker.linear, *(part for layer in ranker.layers for part in _parts_of(layer))]


def _parts_of(layer: BarLayer) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return layer.hidden, layer.hidden_bias, layer.outer


def _first_guess(rng: np.random.Generator, standard: Standard, n_tempi: int) -> BarRanker:
    layers = []
    for n_beats, n_units in _UNITS.items():
        n_inputs = n_beats * PARTS * N_SIGNALS + n_tempi
        hidden = rng.normal(0, 1 / np.sqrt(n_inputs), (n_inputs, n_units))
        outer = rng.normal(0, 0.3 / np.sqrt(n_units), n_units)
        layers.append(BarLayer(n_beats, hidden, np.zeros(n_units), outer))
    return BarRanker(standard, tuple(layers), np.zeros(n_tempi))


@dataclass(frozen=True)
class _Songs:
    """All examples as arrays, the mean bars standardised."""

    standard: Standard
    bars: Mapping[int, np.ndarray]
    tempi: Float32Array
    right: BoolArray

    @classmethod
    def of(cls, found: Sequence[Example]) -> "_Songs":
        beats = np.concatenate([one.bars[BAR_LENGTHS[0]] for one in found[::8]]).astype(np.float32)
        deviation = beats.std(axis=(0, 1)) + _LEAST_DEVIATION
        standard = Standard(beats.mean(axis=(0, 1)).astype(np.float64), deviation.astype(np.float64))
        bars = {
            n_beats: np.stack([standard.of(one.bars[n_beats]).astype(np.float16) for one in found])
            for n_beats in BAR_LENGTHS
        }
        tempi = np.stack([one.tempi for one in found]).astype(np.float32)
        return cls(standard, bars, tempi, np.stack([one.right for one in found]))

    def gradient(self, ranker: BarRanker, rows: np.ndarray, is_kept: BoolArray) -> list[np.ndarray]:
        """Return the slope of minus the mean log share of the right readings by each of `_parts`."""
        tempi = self.tempi[rows].reshape(-1, self.tempi.shape[2])
        total = tempi @ ranker.linear
        passes = []
        for layer in ranker.layers:
            bars = self.bars[layer.n_beats][rows].astype(np.float32) * np.tile(is_kept, PARTS)
            passes.append(_Pass(layer, bars.reshape(len(tempi), -1), tempi))
            total = total + passes[-1].score
        scores = total.reshape(len(rows), -1)
        odds = np.exp(scores - scores.max(axis=1, keepdims=True))
        right = odds * self.right[rows]
        slope = odds / odds.sum(axis=1, keepdims=True) - right / (right.sum(axis=1, keepdims=True) + 1e-9)
        flat = (slope / len(rows)).astype(np.float32).ravel()
        return [tempi.T @ flat, *(part for one in passes for part in one.back(flat))]


class _Pass:
    """One pass through a layer: its scores, and on the way back the slopes of its parts."""

    def __init__(self, layer: BarLayer, bars: np.ndarray, tempi: np.ndarray) -> None:
        self._layer, self._bars, self._tempi = layer, bars, tempi
        self._outer = layer.outer.astype(np.float32)
        n_bars, self._n_inputs = len(bars), bars.shape[1] // layer.n_beats
        of_beats = layer.hidden[: bars.shape[1]].astype(np.float32)
        turned = [np.roll(of_beats, turn * self._n_inputs, axis=0) for turn in range(layer.n_beats)]
        at_rest = (tempi @ layer.hidden[bars.shape[1] :] + layer.hidden_bias).astype(np.float32)
        at_rest = np.tile(at_rest, layer.n_beats)
        active = np.tanh(bars @ np.concatenate(turned, axis=1) + at_rest)
        self._active = active.reshape(n_bars, layer.n_beats, -1)
        by_turn = self._active @ self._outer
        self.score = np.logaddexp.reduce(by_turn, axis=1)
        self._shares = np.exp(by_turn - self.score[:, None])

    def back(self, slope: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return the slopes of hidden, hidden_bias and outer for the slope of each score, shape (n,)."""
        n_beats, active = self._layer.n_beats, self._active
        by_turn = slope[:, None] * self._shares
        outer = np.einsum("nt,ntu->u", by_turn, active)
        inner = by_turn[:, :, None] * self._outer * (1 - active**2)
        turned = self._bars.T @ inner.reshape(len(inner), -1)
        turned = turned.reshape(len(turned), n_beats, -1)
        of_beats = sum(np.roll(turned[:, turn], -turn * self._n_inputs, axis=0) for turn in range(n_beats))
        once = inner.sum(axis=1)
        return np.concatenate([of_beats, self._tempi.T @ once]), once.sum(axis=0), outer
