"""Drum kits: what a kit is, and kits made of numbers, every one of which sounds different."""

from dataclasses import dataclass
from enum import Enum

import numpy as np
import scipy.signal

from epiphane.types import FloatArray

RATE = 44_100
DRUMS = ("kick", "snare", "clap", "hat", "open", "ride", "crash", "tom", "perc")


class Family(Enum):
    """Two ways to build a kit; what is learned on one is checked on the other."""

    DEVELOPMENT = "development"
    VALIDATION = "validation"


@dataclass(frozen=True)
class Drum:
    """One drum, struck ever harder: float64 one-shots with a peak of 1, their attack first."""

    layers: tuple[FloatArray, ...]

    def struck(self, strength: float) -> FloatArray:
        """Return the one-shot for a strength in 0..1."""
        return self.layers[min(len(self.layers) - 1, int(strength * len(self.layers) * 0.999))]


@dataclass(frozen=True)
class Kit:
    """The drums of a kit by name; of one name there may be several to choose from."""

    drums: dict[str, tuple[Drum, ...]]

    @property
    def is_whole(self) -> bool:
        """Whether a beat can be played on it."""
        return bool(self.drums.get("kick") and self.drums.get("snare") and self.drums.get("hat"))


def make_kit(rng: np.random.Generator, family: Family = Family.DEVELOPMENT) -> Kit:
    """Return a kit of synthesised drums."""
    recipes = {
        "kick": (_kick, 2),
        "snare": (_snare, 2),
        "clap": (_clap, 1),
        "hat": (_closed_hat, 2),
        "open": (_open_hat, 1),
        "ride": (_ride, 1),
        "crash": (_crash, 1),
        "tom": (_tom, 3),
        "perc": (_block, 2),
    }
    return Kit(
        {
            name: tuple(Drum((_peaked(recipe(rng, family)),)) for _ in range(count))
            for name, (recipe, count) in recipes.items()
        }
    )


def _kick(rng: np.random.Generator, family: Family) -> FloatArray:
    low, depth, speed = rng.uniform(38, 65), rng.uniform(1, 9), rng.uniform(18, 110)
    t = _time(rng.uniform(0.12, 0.7))
    phase = 2 * np.pi * (low * t + low * depth / speed * (1 - np.exp(-speed * t)))
    body = np.sin(phase + rng.choice([0.0, np.pi / 2])) * np.exp(-t * rng.uniform(5, 25))
    if family is Family.VALIDATION:
        body = np.tanh(body * rng.uniform(1, 5))
    click = _filtered(_noise(rng, t), 1200, rng.uniform(3000, 9000)) * np.exp(-t * rng.uniform(150, 600))
    return np.asarray(body + rng.uniform(0, 0.5) * click)


def _snare(rng: np.random.Generator, family: Family) -> FloatArray:
    t = _time(0.45)
    tone = rng.uniform(150, 300)
    ring = np.sin(2 * np.pi * tone * t) + 0.6 * np.sin(2 * np.pi * tone * rng.uniform(1.4, 1.9) * t)
    # Some are dull: little noise, and none of it high.
    is_dull = rng.random() < 0.3
    top = rng.uniform(2500, 6000) if is_dull else rng.uniform(6000, 16_000)
    noise = _filtered(_noise(rng, t), rng.uniform(300, 1500), top) * np.exp(-t * rng.uniform(9, 40))
    if family is Family.VALIDATION and rng.random() < 0.4:
        noise *= 0.6 + 0.4 * np.sin(2 * np.pi * rng.uniform(60, 120) * t) ** 2
    return rng.uniform(0.2, 1.2) * ring * np.exp(-t * rng.uniform(14, 45)) + rng.uniform(0.5, 1.5) * noise


def _clap(rng: np.random.Generator, family: Family) -> FloatArray:
    t = _time(0.35)
    del family
    gap = rng.uniform(0.007, 0.013)
    bursts = sum(np.exp(-np.maximum(t - n * gap, 0) * 120) * (t >= n * gap) for n in range(3))
    tail = np.exp(-np.maximum(t - 3 * gap, 0) * rng.uniform(14, 35)) * (t >= 3 * gap)
    return _filtered(_noise(rng, t), rng.uniform(700, 1200), rng.uniform(3000, 9000)) * (bursts + tail)


def _closed_hat(rng: np.random.Generator, family: Family) -> FloatArray:
    return _metal(rng, family, 0.2, rng.uniform(28, 130))


def _open_hat(rng: np.random.Generator, family: Family) -> FloatArray:
    return _metal(rng, family, 0.6, rng.uniform(5, 14))


def _ride(rng: np.random.Generator, family: Family) -> FloatArray:
    return _metal(rng, family, 1.2, rng.uniform(2.5, 6)) + 0.3 * _metal(rng, family, 1.2, 60)


def _metal(rng: np.random.Generator, family: Family, seconds: float, decay: float) -> FloatArray:
    t = _time(seconds)
    sound = _filtered(_noise(rng, t), rng.uniform(4500, 8500), rng.uniform(13_000, 19_000))
    if family is Family.VALIDATION or rng.random() < 0.4:
        tones = [2 * f * rng.uniform(0.9, 1.1) for f in (205, 304, 369, 522, 540, 800)]
        ring = np.sum([np.sign(np.sin(2 * np.pi * f * t)) for f in tones], axis=0)
        sound = 0.5 * sound + 0.8 * _filtered(ring, rng.uniform(4000, 8000), 17_000)
    if rng.random() < 0.25:  # frequency-modulated, as cheap keyboards have it
        carrier, ratio = rng.uniform(3000, 8000), rng.uniform(1.2, 2.9)
        wobble = rng.uniform(1, 8) * np.sin(2 * np.pi * carrier * ratio * t)
        sound = 0.3 * sound + np.sin(2 * np.pi * carrier * t + wobble)
    return np.asarray(sound * np.exp(-t * decay))


def _crash(rng: np.random.Generator, family: Family) -> FloatArray:
    t = _time(1.5)
    del family
    return _filtered(_noise(rng, t), rng.uniform(2000, 4500), 18_000) * np.exp(-t * rng.uniform(2, 5))


def _tom(rng: np.random.Generator, family: Family) -> FloatArray:
    del family
    return _drop(rng, rng.uniform(80, 220))


def _block(rng: np.random.Generator, family: Family) -> FloatArray:
    del family
    return _drop(rng, rng.uniform(250, 900))


def _drop(rng: np.random.Generator, pitch: float) -> FloatArray:
    t = _time(0.5)
    tone = np.sin(2 * np.pi * (pitch * t + pitch * 0.02 * (1 - np.exp(-20 * t))))
    return tone * np.exp(-t * rng.uniform(6, 16)) + 0.1 * _noise(rng, t) * np.exp(-t * 80)


def _time(seconds: float) -> FloatArray:
    return np.arange(round(seconds * RATE)) / RATE


def _noise(rng: np.random.Generator, t: FloatArray) -> FloatArray:
    return rng.normal(size=len(t))


def _filtered(signal: FloatArray, low: float, high: float) -> FloatArray:
    sections = scipy.signal.butter(2, (low, min(high, 20_000)), "bandpass", fs=RATE, output="sos")
    sound = np.asarray(scipy.signal.sosfilt(sections, signal))
    return sound / (np.std(sound) + 1e-9)


def _peaked(sound: FloatArray) -> FloatArray:
    fade = min(len(sound), 400)
    sound = sound.copy()
    sound[-fade:] *= np.linspace(1, 0, fade)
    return np.asarray(sound / np.abs(sound).max())
