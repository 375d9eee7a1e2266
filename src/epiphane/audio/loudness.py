"""How loud sound is: integrated loudness and true peak, by ITU-R BS.1770-4 and EBU R 128."""

import math

import numpy as np
import soxr
from msgspec import Struct

from epiphane.types import Float32Array, FloatArray

_ABSOLUTE_GATE, _RELATIVE_GATE = -70.0, -10.0
_OFFSET = -0.691
_BLOCKS_A_SECOND, _OVERLAPPED = 10, 4
_OVERSAMPLED, _AT_ONCE_SECONDS, _EDGE = 4, 20, 4096
CEILING = -1.0
"""The highest true peak that R 128 allows, in decibels of full scale."""
QUIETEST_TARGET, LOUDEST_TARGET = -36.0, -6.0


class Loudness(Struct, frozen=True):
    """How loud a sound is: integrated, LUFS, -inf where all is silent, and its true peak, dBTP."""

    integrated: float
    peak: float

    def gain_to(self, target: float) -> tuple[float, bool]:
        """Return the gain in decibels to a loudness, and whether the ceiling of peaks kept it below that."""
        if math.isinf(self.integrated):
            return 0.0, False
        wanted, room = target - self.integrated, CEILING - self.peak
        return min(wanted, room), wanted > room


def loudness_of(sound: Float32Array, rate: int) -> Loudness:
    """Return how loud a sound is.

    Parameters
    ----------
    sound : float32, shape (n_samples, n_channels), one or two channels
    rate : int, samples / second
    """
    return Loudness(_integrated(sound, rate), _true_peak(sound, rate))


def _integrated(sound: Float32Array, rate: int) -> float:
    """Return the gated loudness of blocks of 400 ms, three quarters of which overlap."""
    from scipy.signal import sosfilt  # late: it takes a tenth of a second to load

    step = rate // _BLOCKS_A_SECOND
    n_steps = len(sound) // step
    if n_steps < _OVERLAPPED:
        return -math.inf
    power = np.zeros(n_steps)
    for channel in sound.T:
        weighted = sosfilt(_k_weighting(rate), channel.astype(np.float64))[: n_steps * step]
        power += np.square(weighted).reshape(n_steps, step).mean(axis=1)
    blocks = np.convolve(power, np.full(_OVERLAPPED, 1 / _OVERLAPPED), "valid")
    levels = _level(blocks)
    heard = levels > _ABSOLUTE_GATE
    if not heard.any():
        return -math.inf
    gate = _level(blocks[heard].mean()) + _RELATIVE_GATE
    return float(_level(blocks[heard & (levels > gate)].mean()))


def _level(power: FloatArray | np.floating) -> FloatArray:
    return np.asarray(_OFFSET + 10 * np.log10(np.maximum(power, 1e-30)))


def _k_weighting(rate: int) -> FloatArray:
    """Return the shelf and the high-pass of BS.1770 at any rate, as second-order sections, shape (2, 6)."""
    frequency, gain, quality = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = math.tan(math.pi * frequency / rate)
    high = 10 ** (gain / 20)
    band = high**0.4996667741545416
    total = 1 + k / quality + k * k
    shelf = [
        (high + band * k / quality + k * k) / total,
        2 * (k * k - high) / total,
        (high - band * k / quality + k * k) / total,
        1.0,
        2 * (k * k - 1) / total,
        (1 - k / quality + k * k) / total,
    ]
    frequency, quality = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * frequency / rate)
    total = 1 + k / quality + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / total, (1 - k / quality + k * k) / total]
    return np.array([shelf, high_pass])


def _true_peak(sound: Float32Array, rate: int) -> float:
    """Return the highest level between samples too, in decibels of full scale: of four times the rate."""
    peak = float(np.abs(sound).max(initial=0.0))
    length = rate * _AT_ONCE_SECONDS
    for at in range(0, len(sound), length):
        part = sound[max(0, at - _EDGE) : at + length + _EDGE]
        finer = soxr.resample(part, rate, rate * _OVERSAMPLED, quality="VHQ")
        peak = max(peak, float(np.abs(finer).max(initial=0.0)))
    return 20 * math.log10(max(peak, 1e-10))
