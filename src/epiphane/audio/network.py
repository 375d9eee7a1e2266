"""Small networks that were trained beforehand, run in NumPy."""

from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from msgspec import Struct

from epiphane.types import FloatArray

_FAR = 5.0


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
        values = self.standard.of(inputs)
        for weight, bias in zip(self.weights[:-1], self.biases[:-1], strict=True):
            values = np.maximum(values @ weight + bias, 0)
        return np.asarray(values @ self.weights[-1] + self.biases[-1])


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


class Weights(Struct, frozen=True, eq=False):
    """Everything that was learned; `docs/listening.md` says from what."""

    drums: tuple[Network, ...]
    drums_in_song: Network
    drums_play: Network
    readings: Ranker
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
    for name, ranker in (rankers | {"readings": weights.readings, "bars": weights.bars}).items():
        arrays |= _standard_to(name, ranker.standard)
        for part in ("hidden", "hidden_bias", "outer", "linear"):
            arrays[f"{name}.{part}"] = getattr(ranker, part)
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
        readings=_ranker_from("readings", arrays),
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
