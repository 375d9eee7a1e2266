"""Drum kits made of numbers: every kit sounds different, every hit of a kit nearly the same."""

from dataclasses import dataclass

import numpy as np
import scipy.signal

from epiphane.types import FloatArray

RATE = 44_100


@dataclass(frozen=True)
class Kit:
    """One-shots by drum, float64, each with a peak of 1 and its attack on its first sample."""

    sounds: dict[str, FloatArray]


def make_kit(rng: np.random.Generator, *, is_electronic: bool) -> Kit:
    """Return a kit; electronic ones have longer low drums and drier, brighter snares and hats."""
    return Kit(
        {
            "kick": _kick(rng, is_electronic=is_electronic),
            "snare": _snare(rng, is_electronic=is_electronic),
            "hat": _metal(rng, rng.uniform(0.015, 0.05)),
            "open": _metal(rng, rng.uniform(0.12, 0.3)),
            "crash": _metal(rng, rng.uniform(0.4, 0.9)),
            "tom": _tom(rng),
        }
    )


def _kick(rng: np.random.Generator, *, is_electronic: bool) -> FloatArray:
    low, drop = rng.uniform(42, 62), rng.uniform(60, 260)
    decay = rng.uniform(0.12, 0.3) if is_electronic else rng.uniform(0.06, 0.14)
    t = _time(5 * decay)
    sweep = rng.uniform(0.006, 0.03)
    phase = 2 * np.pi * (low * t + drop * sweep * (1 - np.exp(-t / sweep)))
    body = np.cos(phase) * np.exp(-t / decay)
    click = rng.normal(size=len(t)) * np.exp(-t / rng.uniform(0.001, 0.004)) * rng.uniform(0.1, 0.6)
    return _peaked(np.tanh(rng.uniform(1, 2.5) * (body + click)))


def _snare(rng: np.random.Generator, *, is_electronic: bool) -> FloatArray:
    decay = rng.uniform(0.05, 0.12) if is_electronic else rng.uniform(0.08, 0.2)
    t = _time(5 * decay)
    noise = _filtered(rng.normal(size=len(t)), rng.uniform(600, 2200), rng.uniform(7000, 15_000))
    tone = np.cos(2 * np.pi * rng.uniform(160, 260) * t) * np.exp(-t / (0.5 * decay))
    return _peaked(noise / np.std(noise) * np.exp(-t / decay) + rng.uniform(0.4, 2.5) * tone)


def _metal(rng: np.random.Generator, decay: float) -> FloatArray:
    t = _time(5 * decay)
    noise = _filtered(rng.normal(size=len(t)), rng.uniform(4500, 8500), 17_000)
    partials = sum(np.sign(np.sin(2 * np.pi * f * t)) for f in rng.uniform(2500, 9000, 5))
    ring = _filtered(np.asarray(partials, float), 6000, 17_000)
    return _peaked((noise / np.std(noise) + rng.uniform(0, 0.8) * ring) * np.exp(-t / decay))


def _tom(rng: np.random.Generator) -> FloatArray:
    pitch, decay = rng.uniform(85, 190), rng.uniform(0.12, 0.3)
    t = _time(4 * decay)
    return _peaked(np.cos(2 * np.pi * (pitch * t + 2 * (1 - np.exp(-t / 0.02)))) * np.exp(-t / decay))


def _time(seconds: float) -> FloatArray:
    return np.arange(round(seconds * RATE)) / RATE


def _filtered(signal: FloatArray, low: float, high: float) -> FloatArray:
    sections = scipy.signal.butter(2, (low, high), "bandpass", fs=RATE, output="sos")
    return np.asarray(scipy.signal.sosfilt(sections, signal))


def _peaked(sound: FloatArray) -> FloatArray:
    return np.asarray(sound / np.abs(sound).max())
