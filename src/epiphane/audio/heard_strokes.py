"""The strokes of a song, and what struck each, heard by itself."""

import numpy as np
from msgspec import Struct

from epiphane.audio.network import Network, sigmoid
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND, DrumSpectrum, describe_strokes, find_strokes
from epiphane.document.song import DRUMS
from epiphane.types import Float32Array, FloatArray, IntArray

N_DRUMS = len(DRUMS)
_LEAD_SECONDS = 0.1


class Strokes(Struct, frozen=True, eq=False):
    """Strokes of a song.

    Attributes
    ----------
    hops : int64, shape (n_strokes,)
    features : float32, shape (n_strokes, n_features), of `describe_strokes`
    logits : float64, shape (n_strokes, 8)
        Log odds that a kick, snare or clap, hi-hat, cymbal, tom, clap, open hi-hat, crash is struck: each
        stroke heard by itself.
    """

    hops: IntArray
    features: Float32Array
    logits: FloatArray

    @property
    def times(self) -> FloatArray:
        """Seconds."""
        return self.hops / STROKE_HOPS_PER_SECOND

    @property
    def likelihoods(self) -> FloatArray:
        """Shape (n_strokes, 8), in 0..1."""
        return sigmoid(self.logits)

    @property
    def leading_silence(self) -> float:
        """Seconds until shortly before the first stroke: they do not count as part of the song."""
        return max(0.0, float(self.times[0]) - _LEAD_SECONDS) if len(self.hops) else 0.0


def hear_strokes(spectrum: DrumSpectrum, networks: tuple[Network, ...]) -> Strokes:
    """Return the strokes of a song, each heard by itself: the mean of several networks.

    Parameters
    ----------
    spectrum : DrumSpectrum
    networks : tuple of Network
        Each gives eight logits for `N_FEATURES` inputs.
    """
    hops = find_strokes(spectrum)
    features = describe_strokes(spectrum, hops)
    logits = np.mean([network.logits(features) for network in networks], axis=0)
    return Strokes(hops, features, logits)


def three_drums(logits: FloatArray) -> FloatArray:
    """Return likelihoods of low drum, snare and hat, shape (n, 3): a cymbal counts as a hat.

    Parameters
    ----------
    logits : float64, shape (n, 4 or more): kick, snare, hi-hat, cymbal, ...
    """
    chances = sigmoid(logits)
    return np.stack([chances[:, 0], chances[:, 1], np.maximum(chances[:, 2], chances[:, 3])], axis=1)
