"""Small networks that were trained beforehand, run in NumPy."""

import re
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from msgspec import Struct

from epiphane.types import FloatArray

_FAR = 5.0
_BAR_PARTS = ("hidden", "hidden_bias", "outer")


_ROWS_AT_ONCE = 8192
"""Of what a network is asked at once: of three hours all strokes are 300 MB on their way."""


class Standard(Struct, frozen=True, eq=False):
    """What is usual of each input: inputs are taken against it, and not farther out than five times."""

    mean: FloatArray
    deviation: FloatArray

    def of(self, inputs: np.ndarray) -> FloatArray:
        """Return inputs, shape (n, n_inputs), in deviations from the mean; 0 for NaN, which is not known."""
        return np.nan_to_num(np.clip((inputs - self.mean) / self.deviation, -_FAR, _FAR))


class Network(Struct, frozen=True, eq=False):
    """Layers of rectified linear units; the last one is linear."""

    standard: Standard
    weights: tuple[FloatArray, ...]
    biases: tuple[FloatArray, ...]

    def logits(self, inputs: np.ndarray) -> FloatArray:
        """Return the logits of shape (n, n_outputs) for inputs of shape (n, n_inputs)."""
        found = np.empty((len(inputs), len(self.biases[-1])))
        for first in range(0, len(inputs), _ROWS_AT_ONCE):
            values = self.standard.of(inputs[first : first + _ROWS_AT_ONCE])
            for weight, bias in zip(self.weights[:-1], self.biases[:-1], strict=True):
                values = np.maximum(values @ weight + bias, 0)
            found[first : first + len(values)] = values @ self.weights[-1] + self.biases[-1]
        return found


class Ranker(Struct, frozen=True, eq=False):
    """A score for each of several readings of one song: a linear part and one layer of tanh units."""

    standard: Standard
    hidden: FloatArray
    hidden_bias: FloatArray
    outer: FloatArray
    linear: FloatArray

    def scores(self, inputs: np.ndarray) -> FloatArray:
        """Return scores of shape (n,), natural log odds against each other."""
        values = self.standard.of(np.nan_to_num(inputs))
        hidden = np.tanh(values @ self.hidden + self.hidden_bias)
        return np.asarray(hidden @ self.outer + values @ self.linear)


class BarLayer(Struct, frozen=True, eq=False):
    """Units that look at a mean bar of so many beats, in every rotation by whole beats.

    Attributes
    ----------
    hidden : float64, shape (n_beats * n_inputs_a_beat + n_others, n_units)
    hidden_bias, outer : float64, shape (n_units,)
    """

    n_beats: int
    hidden: FloatArray
    hidden_bias: FloatArray
    outer: FloatArray

    def scores(self, bars: FloatArray, others: FloatArray) -> FloatArray:
        """Return a score of each bar, shape (n,): the soft maximum over its rotations.

        Parameters
        ----------
        bars : float64, shape (n, n_beats, n_inputs_a_beat), standardised
        others : float64, shape (n, n_others)
        """
        n_bars, _, n_inputs = bars.shape
        of_beats = self.hidden[: self.n_beats * n_inputs]
        added = others @ self.hidden[len(of_beats) :] + self.hidden_bias
        flat = bars.reshape(n_bars, -1)
        turned = [
            np.tanh(flat @ np.roll(of_beats, turn * n_inputs, axis=0) + added) @ self.outer
            for turn in range(self.n_beats)
        ]
        return np.asarray(np.logaddexp.reduce(turned, axis=0))


class BarRanker(Struct, frozen=True, eq=False):
    """A score for each of several readings of one song, by the mean bars that it makes of the song.

    Where a bar begins need not be known: the best rotation counts, in bars of four and in bars of three.
    """

    standard: Standard
    layers: tuple[BarLayer, ...]
    linear: FloatArray

    def scores(self, bars: Mapping[int, np.ndarray], others: np.ndarray) -> FloatArray:
        """Return scores of shape (n,), natural log odds against each other.

        Parameters
        ----------
        bars : of beats to the bar, shape (n, n_beats, n_inputs_a_beat)
        others : shape (n, n_others)
            What else is known of each reading.
        """
        total = others @ self.linear
        for layer in self.layers:
            total = total + layer.scores(self.standard.of(bars[layer.n_beats]), others)
        return np.asarray(total)


class ReadingRankers(Struct, frozen=True, eq=False):
    """What tells which reading of the beats people would tap: by what speaks for each, and by mean bars."""

    described: Ranker
    by_bars: tuple[BarRanker, ...]


class Weights(Struct, frozen=True, eq=False):
    """Everything that was learned; `docs/listening.md` says from what."""

    drums: tuple[Network, ...]
    drums_in_song: Network
    drums_play: Network
    readings: ReadingRankers
    bars: Ranker
    confidence: Network
    thresholds: tuple[Ranker, ...]
    drum_confidence: tuple[Network, ...]


def sigmoid(logits: FloatArray) -> FloatArray:
    """Return the probabilities of log odds, elementwise: 1 / (1 + exp(-logits))."""
    return np.asarray(1 / (1 + np.exp(-logits)))


@cache
def learned_weights() -> Weights:
    """Return the weights that Epiphane is shipped with; `make train` makes them."""
    with np.load(
        BytesIO(files("epiphane.assets").joinpath("listening", "weights.npz").read_bytes())
    ) as arrays:
        return weights_from({name: arrays[name].astype(np.float64) for name in arrays})


def weights_to(weights: Weights) -> dict[str, np.ndarray]:
    """Return the weights as named arrays, float16: what they are stored as."""
    arrays: dict[str, np.ndarray] = {}
    networks = {f"drums{number}": network for number, network in enumerate(weights.drums)}
    networks |= {f"sure_drum{number}": network for number, network in enumerate(weights.drum_confidence)}
    networks |= {"song": weights.drums_in_song, "play": weights.drums_play, "sure": weights.confidence}
    for name, network in networks.items():
        arrays |= _standard_to(name, network.standard)
        for layer, (weight, bias) in enumerate(zip(network.weights, network.biases, strict=True)):
            arrays[f"{name}.weight{layer}"] = weight
            arrays[f"{name}.bias{layer}"] = bias
    rankers = {f"threshold{number}": ranker for number, ranker in enumerate(weights.thresholds)}
    for name, ranker in (rankers | {"readings": weights.readings.described, "bars": weights.bars}).items():
        arrays |= _standard_to(name, ranker.standard)
        for part in ("hidden", "hidden_bias", "outer", "linear"):
            arrays[f"{name}.{part}"] = getattr(ranker, part)
    for number, by_bars in enumerate(weights.readings.by_bars):
        arrays |= _bar_ranker_to(f"by_bars{number}", by_bars)
    return {name: np.asarray(values, np.float16) for name, values in arrays.items()}


def weights_from(arrays: dict[str, np.ndarray]) -> Weights:
    """Return the weights out of named arrays: the inverse of `weights_to`.

    Raises
    ------
    KeyError
        If an array is missing.
    """

    def count(kind: str) -> range:
        return range(sum(name.startswith(kind) and name.endswith(".mean") for name in arrays))

    return Weights(
        drums=tuple(_network_from(f"drums{number}", arrays) for number in count("drums")),
        drums_in_song=_network_from("song", arrays),
        drums_play=_network_from("play", arrays),
        readings=ReadingRankers(
            _ranker_from("readings", arrays),
            tuple(_bar_ranker_from(f"by_bars{number}", arrays) for number in count("by_bars")),
        ),
        bars=_ranker_from("bars", arrays),
        confidence=_network_from("sure", arrays),
        thresholds=tuple(_ranker_from(f"threshold{number}", arrays) for number in count("threshold")),
        drum_confidence=tuple(_network_from(f"sure_drum{number}", arrays) for number in count("sure_drum")),
    )


def _standard_to(name: str, standard: Standard) -> dict[str, np.ndarray]:
    return {f"{name}.mean": standard.mean, f"{name}.deviation": standard.deviation}


def _standard_from(name: str, arrays: dict[str, np.ndarray]) -> Standard:
    return Standard(arrays[f"{name}.mean"], arrays[f"{name}.deviation"])


def _network_from(name: str, arrays: dict[str, np.ndarray]) -> Network:
    n_layers = sum(key.startswith(f"{name}.weight") for key in arrays)
    return Network(
        _standard_from(name, arrays),
        tuple(arrays[f"{name}.weight{layer}"] for layer in range(n_layers)),
        tuple(arrays[f"{name}.bias{layer}"] for layer in range(n_layers)),
    )


def _ranker_from(name: str, arrays: dict[str, np.ndarray]) -> Ranker:
    hidden, bias, outer, linear = (
        arrays[f"{name}.{part}"] for part in ("hidden", "hidden_bias", "outer", "linear")
    )
    return Ranker(_standard_from(name, arrays), hidden, bias, outer, linear)


def _bar_ranker_to(name: str, ranker: BarRanker) -> dict[str, np.ndarray]:
    arrays = _standard_to(name, ranker.standard) | {f"{name}.linear": ranker.linear}
    for layer in ranker.layers:
        for part in _BAR_PARTS:
            arrays[f"{name}.{part}{layer.n_beats}"] = getattr(layer, part)
    return arrays


def _bar_ranker_from(name: str, arrays: dict[str, np.ndarray]) -> BarRanker:
    pattern = re.compile(re.escape(f"{name}.{_BAR_PARTS[0]}") + r"(\d+)")
    lengths = sorted(int(found[1]) for found in map(pattern.fullmatch, arrays) if found)
    layers = tuple(
        BarLayer(n_beats, *(arrays[f"{name}.{part}{n_beats}"] for part in _BAR_PARTS)) for n_beats in lengths
    )
    return BarRanker(_standard_from(name, arrays), layers, arrays[f"{name}.linear"])
