"""Accent sounds that lanes play on their hits, made in code."""

from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from types import MappingProxyType

import numpy as np
from msgspec import Struct

from epiphane.document.lane import AccentPoint, AccentSound
from epiphane.timing import seconds_to_sample
from epiphane.types import Float32Array, FloatArray

_LEVEL = 0.5
"""Of the loudest sample of each, before its gain."""


class AccentHit(Struct, frozen=True):
    """A sound whose attack, or peak, is at an instant of the song, in seconds, so many decibels louder.

    One that is not shipped is named by the fingerprint of its footage.
    """

    time: float
    sound: AccentSound | str
    gain: float
    point: AccentPoint = AccentPoint.ATTACK


def with_accents(
    song: Float32Array,
    hits: Iterable[AccentHit],
    rate: int,
    sounds: Mapping[str, Float32Array] = MappingProxyType({}),
) -> Float32Array:
    """Return a song with accents in it, their attacks or peaks exact to the sample.

    Parameters
    ----------
    song : float32, shape (n_samples, 2)
        It is not changed.
    rate : int, samples / second
    sounds : from the fingerprint of footage to float32, shape (n, 2)
        Those that are not shipped; what is not there is silent.

    Returns
    -------
    float32, shape (n_samples, 2); the very song where there is no accent
    """
    made: Float32Array | None = None
    places: dict[tuple[AccentSound | str, AccentPoint], int] = {}
    for hit in hits:
        if isinstance(hit.sound, AccentSound):
            sound, place = accent_sound(hit.sound, rate)
        else:
            sound, place = sounds.get(hit.sound, np.zeros((0, 2), np.float32)), None
        key = hit.sound, hit.point
        if key not in places:
            if hit.point is AccentPoint.PEAK:
                places[key] = peak_of_sound(sound, rate)
            else:
                places[key] = attack_of(sound, rate) if place is None else place
        first = seconds_to_sample(hit.time, rate) - places[key]
        begin, end = max(first, 0), min(first + len(sound), len(song))
        if end <= begin:
            continue
        made = song.copy() if made is None else made
        level = np.float32(10 ** (hit.gain / 20))
        made[begin:end] += level * sound[begin - first : end - first]
    return song if made is None else made


def attack_of(sound: Float32Array, rate: int) -> int:
    """Return the sample at which a sound attacks: where it comes over half of its loudest 10 ms.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2)
    rate : int, samples / second
    """
    if not len(sound):
        return 0
    level, peak = _levels(sound, rate), peak_of_sound(sound, rate)
    weaker = np.flatnonzero(level[:peak] < level[peak] / 2)
    # The mean rises half its length before the sound does.
    return int(weaker[-1]) + rate // 200 if len(weaker) else 0


def peak_of_sound(sound: Float32Array, rate: int) -> int:
    """Return the sample in the middle of the loudest 10 ms of a sound.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2)
    rate : int, samples / second
    """
    return int(np.argmax(_levels(sound, rate))) if len(sound) else 0


def _levels(sound: Float32Array, rate: int) -> FloatArray:
    """Return how loud 10 ms around each sample are, float64, shape (n_samples,)."""
    from scipy import ndimage as ndi  # late: it loads much of SciPy

    power = np.square(sound, dtype=np.float64).sum(axis=1)
    return np.asarray(np.sqrt(np.maximum(ndi.uniform_filter1d(power, max(1, rate // 100)), 0)))


@lru_cache(maxsize=16)
def accent_sound(sound: AccentSound, rate: int) -> tuple[Float32Array, int]:
    """Return an accent, float32, shape (n_samples, 2), and the sample of its attack; not to be changed."""
    left, right, attack = _MAKERS[sound](rate)
    made = np.stack([left, right], axis=1)
    made *= _LEVEL / max(float(np.abs(made).max()), 1e-9)
    fade = min(len(made), round(0.003 * rate))
    made[:fade] *= np.linspace(0, 1, fade)[:, None] if attack > fade else 1
    made[-fade:] *= np.linspace(1, 0, fade)[:, None]
    result = np.asarray(made, np.float32)
    result.setflags(write=False)
    return result, attack


_Made = tuple[FloatArray, FloatArray, int]


def _time(seconds: float, rate: int) -> FloatArray:
    return np.arange(round(seconds * rate)) / rate


def _noise(seed: int, n_samples: int) -> FloatArray:
    return np.asarray(np.random.default_rng(seed).standard_normal(n_samples))


def _swept_noise(seed: int, places: FloatArray, low: float, high: float, rate: int) -> FloatArray:
    """Return noise through a band that goes from one frequency to another along places 0 to 1."""
    from scipy import signal  # late: it loads much of SciPy

    noise = _noise(seed, len(places))
    n_bands = 12
    made = np.zeros(len(places))
    centres = low * (high / low) ** (np.arange(n_bands) / (n_bands - 1))
    for number, centre in enumerate(centres):
        edges = [centre / 1.3, min(centre * 1.3, 0.45 * rate)]
        band = signal.sosfilt(signal.butter(2, edges, "bandpass", fs=rate, output="sos"), noise)
        weight = np.exp(-(((places * (n_bands - 1) - number) / 1.2) ** 2))
        made += weight * band
    return made


def _whoosh(rate: int) -> _Made:
    time, peak = _time(0.8, rate), 0.42
    rising = time < peak
    level = np.where(rising, (time / peak) ** 3, np.exp(-(time - peak) / 0.11))
    places = np.where(rising, 0.9 * time / peak, np.maximum(0.9 - 1.4 * (time - peak), 0.1))
    left, right = (level * _swept_noise(seed, places, 300, 6000, rate) for seed in (1, 2))
    pan = np.clip(time / 0.8, 0, 1)
    return left * (1.2 - 0.7 * pan), right * (0.5 + 0.7 * pan), round(peak * rate)


def _thump(rate: int) -> _Made:
    time = _time(0.5, rate)
    pitch = 42 + 110 * np.exp(-time / 0.03)
    body = np.sin(2 * np.pi * np.cumsum(pitch) / rate) * np.exp(-time / 0.13)
    knock = 0.25 * _noise(3, len(time)) * np.exp(-time / 0.004)
    made = body + knock
    return made, made.copy(), 0


def _riser(rate: int) -> _Made:
    time, length = _time(1.6, rate), 1.5
    share = np.clip(time / length, 0, 1)
    level = np.where(time < length, share**2.2, np.exp(-(time - length) / 0.02))
    tone = 0.35 * np.sin(2 * np.pi * np.cumsum(110 * 2 ** (3 * share)) / rate)
    left, right = (level * (tone + _swept_noise(seed, share, 400, 9000, rate)) for seed in (4, 5))
    return left, right, round(length * rate)


def _click(rate: int) -> _Made:
    time = _time(0.06, rate)
    made = np.cos(2 * np.pi * 2400 * time) * np.exp(-time / 0.006) + 0.3 * _noise(6, len(time)) * np.exp(
        -time / 0.002
    )
    return made, made.copy(), 0


def _tape_stop(rate: int) -> _Made:
    time = _time(0.9, rate)
    speed = np.clip(1 - time / 0.85, 0, 1) ** 1.4
    phase = np.cumsum(180 * speed) / rate
    hum = sum(np.sin(2 * np.pi * phase * n) / n for n in (1, 2, 3, 5))
    wow = 0.15 * _noise(7, len(time)) * speed
    made = (hum + wow) * np.minimum(1, speed * 3)
    return made, made.copy(), 0


def _reverse_swell(rate: int) -> _Made:
    time, length = _time(1.3, rate), 1.2
    level = np.where(time < length, np.exp((time - length) / 0.28), np.exp(-(time - length) / 0.012))
    chord = sum(np.sin(2 * np.pi * pitch * time + n) for n, pitch in enumerate((196, 247, 294, 392, 587)))
    left, right = (level * (chord + 0.8 * _noise(seed, len(time))) for seed in (8, 9))
    return left, right, round(length * rate)


_MAKERS: dict[AccentSound, Callable[[int], _Made]] = {
    AccentSound.WHOOSH: _whoosh,
    AccentSound.THUMP: _thump,
    AccentSound.RISER: _riser,
    AccentSound.CLICK: _click,
    AccentSound.TAPE_STOP: _tape_stop,
    AccentSound.REVERSE_SWELL: _reverse_swell,
}
