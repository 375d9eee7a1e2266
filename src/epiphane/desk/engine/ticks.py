"""A metronome click on the hits of pulses, for playback alone."""

from functools import lru_cache

import numpy as np

from epiphane.document.song import Beat, Hit
from epiphane.types import Float32Array, FloatArray

_SECONDS, _FALL_SECONDS = 0.03, 0.006
_HERTZ, _DOWNBEAT_HERTZ = 1320.0, 1980.0
_LEVEL, _LEAST_LEVEL = 0.5, 0.18
_SAME_SECONDS = 0.02


def with_ticks(
    sound: Float32Array, rate: int, hits: tuple[Hit, ...], beats: tuple[Beat, ...] = ()
) -> Float32Array:
    """Return a sound with a tick on each hit, louder the stronger it is and higher on a downbeat.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2); it is not changed
    rate : int, samples / second
    hits, beats : in seconds of the sound
    """
    mixed = sound.copy()
    downbeats = np.array([beat.time for beat in beats if beat.place == 1])
    for hit in hits:
        first = round(hit.time * rate)
        tick = tick_sound(rate, is_high=_is_near(downbeats, hit.time))[: max(0, len(mixed) - first)]
        mixed[first : first + len(tick)] += (_LEAST_LEVEL + (_LEVEL - _LEAST_LEVEL) * hit.strength) * tick
    return np.clip(mixed, -1, 1, out=mixed)


@lru_cache(maxsize=8)
def tick_sound(rate: int, *, is_high: bool) -> Float32Array:
    """Return a short tick, float32, shape (n_samples, 2), with its attack on the first sample."""
    seconds = np.arange(round(_SECONDS * rate)) / rate
    wave = np.cos(2 * np.pi * (_DOWNBEAT_HERTZ if is_high else _HERTZ) * seconds)
    tick = (wave * np.exp(-seconds / _FALL_SECONDS)).astype(np.float32)
    return np.stack([tick, tick], axis=1)


def _is_near(times: FloatArray, time: float) -> bool:
    return len(times) > 0 and float(np.abs(times - time).min()) < _SAME_SECONDS
