"""Drums and band to one sound, coloured as records are."""

from typing import TYPE_CHECKING

import numpy as np
import scipy.signal

from epiphane.types import FloatArray
from training.kit import RATE
from training.styles import Style

if TYPE_CHECKING:
    from training.band import Band


def mix_song(rng: np.random.Generator, band: "Band", style: Style, *, is_dense: bool) -> np.ndarray:
    """Return drums and band at a chance balance, saturated, echoed, tilted and dulled by chance, float32."""
    drums, backing = band.drums, band.backing()
    level = float(np.sqrt(np.mean(backing**2)))
    mix = backing / level if level > 0 else backing
    loud = np.abs(drums) > 1e-4
    if loud.any():
        drums = _driven(rng, drums) if rng.random() < 0.4 else drums
        drums = _echoed(rng, drums) if rng.random() < 0.4 else drums
        drums = drums / np.sqrt(np.mean(drums[loud] ** 2))
        if rng.random() < (0.6 if style.is_dance else 0.1):
            mix = mix * _pumping(rng, len(mix), band.hits["kick"])
        mix = mix + drums * 10 ** (rng.uniform(-7, 7) / 20)
    if is_dense or rng.random() < 0.06:
        noise = rng.normal(size=len(mix)) * 10 ** (rng.uniform(-22, -12) / 20)
        mix = mix + noise * np.sqrt(np.mean(mix**2))
    if rng.random() < 0.5:
        mix = _tilted(mix, rng.uniform(-3, 3))
    mix = mix / (np.abs(mix).max() + 1e-9)
    if is_dense or rng.random() < 0.35:
        mix = np.tanh(mix * rng.uniform(1.5, 4))
    elif rng.random() < 0.15:  # mastered so loud that it is cut off
        mix = np.clip(mix * rng.uniform(2, 6), -1, 1)
    if rng.random() < 0.25:
        sections = scipy.signal.butter(6, rng.uniform(12_000, 16_500), fs=RATE, output="sos")
        mix = scipy.signal.sosfilt(sections, mix)
    mix[: round(band.first_sound * RATE)] = 0.0
    return np.asarray(mix / (np.abs(mix).max() + 1e-9) * rng.uniform(0.3, 0.95), np.float32)


def _driven(rng: np.random.Generator, sound: FloatArray) -> FloatArray:
    return np.tanh(sound * rng.uniform(1, 3))


def _echoed(rng: np.random.Generator, sound: FloatArray) -> FloatArray:
    n = round(rng.uniform(0.15, 0.6) * RATE)
    room = rng.normal(size=n) * np.exp(-np.arange(n) / RATE * rng.uniform(8, 25))
    wet = scipy.signal.fftconvolve(sound, room / np.sqrt(np.sum(room**2)))[: len(sound)]
    return np.asarray(sound + rng.uniform(0.05, 0.3) * wet)


def _tilted(sound: FloatArray, tilt: float) -> FloatArray:
    low = scipy.signal.sosfilt(scipy.signal.butter(1, 2000, "low", fs=RATE, output="sos"), sound)
    gain = 10 ** (tilt / 20)
    return np.asarray(low * gain + (sound - low) / gain)


def _pumping(rng: np.random.Generator, n_samples: int, kicks: list[float]) -> FloatArray:
    gain = np.ones(n_samples)
    dip = 1 - rng.uniform(0.5, 0.9) * np.exp(-np.arange(round(0.25 * RATE)) / RATE * 14)
    for time in kicks:
        first = round(time * RATE)
        room = max(0, min(len(dip), n_samples - first))
        gain[first : first + room] = np.minimum(gain[first : first + room], dip[:room])
    return gain
