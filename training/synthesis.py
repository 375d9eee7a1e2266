"""Drums made of numbers: many ways to build each, so that no network learns one of them by heart.

Every function takes a source of chance and returns a one-shot, float64, mono at `RATE`, its attack first.
"""

from collections.abc import Callable, Mapping

import numpy as np
import scipy.signal

from epiphane.types import FloatArray

RATE = 44_100
Recipe = Callable[[np.random.Generator], FloatArray]


def falling_kick(rng: np.random.Generator) -> FloatArray:
    """Return a sine whose pitch falls, with a click of noise."""
    low, depth, speed = rng.uniform(38, 65), rng.uniform(1, 9), rng.uniform(18, 110)
    t = _time(rng.uniform(0.12, 0.7))
    body = np.sin(_falling(t, low, depth, speed) + rng.choice([0.0, np.pi / 2]))
    body = body * np.exp(-t * rng.uniform(5, 25))
    click = _filtered(_noise(rng, t), 1200, rng.uniform(3000, 9000)) * np.exp(-t * rng.uniform(150, 600))
    return np.asarray(body + rng.uniform(0, 0.5) * click)


def booming_kick(rng: np.random.Generator) -> FloatArray:
    """Return a low sine that rings on for most of a second."""
    t = _time(rng.uniform(0.7, 1.4))
    body = np.sin(_falling(t, rng.uniform(36, 58), rng.uniform(0.5, 4), rng.uniform(30, 90)))
    body = np.tanh(body * rng.uniform(1, 3)) * np.exp(-t * rng.uniform(1.5, 5))
    return body + rng.uniform(0, 0.3) * _click(rng, t)


def driven_kick(rng: np.random.Generator) -> FloatArray:
    """Return a kick distorted until it has tones far above its own."""
    return np.tanh(falling_kick(rng) * rng.uniform(3, 15))


def thud(rng: np.random.Generator) -> FloatArray:
    """Return a short low bump of noise and a membrane's tones, without a click to speak of."""
    t = _time(0.3)
    tone = rng.uniform(48, 90)
    skin = sum(
        gain * np.sin(2 * np.pi * tone * ratio * t) * np.exp(-t * rate)
        for gain, ratio, rate in ((1.0, 1.0, rng.uniform(10, 25)), (0.4, 1.59, 35), (0.3, 2.14, 50))
    )
    bump = _filtered(_noise(rng, t), 40, rng.uniform(120, 400)) * np.exp(-t * rng.uniform(25, 60))
    return np.asarray(skin + rng.uniform(0.1, 0.6) * bump + rng.uniform(0, 0.2) * _click(rng, t))


def chip_kick(rng: np.random.Generator) -> FloatArray:
    """Return a square wave that falls by steps, as sound chips play a low drum."""
    t = _time(rng.uniform(0.08, 0.25))
    pitch = rng.uniform(150, 500) * np.exp(-np.floor(t * 60) / 60 * rng.uniform(12, 40)) + 40
    wave = np.sign(np.sin(2 * np.pi * np.cumsum(pitch) / RATE))
    return _stepped(wave * np.exp(-np.floor(t * 60) / 60 * rng.uniform(8, 20)), 16)


def fm_kick(rng: np.random.Generator) -> FloatArray:
    """Return a frequency-modulated low tone."""
    t = _time(0.5)
    low = rng.uniform(42, 70)
    wobble = rng.uniform(1, 5) * np.exp(-t * rng.uniform(20, 60)) * np.sin(2 * np.pi * low * 1.41 * t)
    return np.asarray(np.sin(_falling(t, low, rng.uniform(0.5, 3), 40) + wobble) * np.exp(-t * 9))


def ringing_snare(rng: np.random.Generator) -> FloatArray:
    """Return two tones of a skin and the noise of wires; some are dull, with little noise and none high."""
    t = _time(0.45)
    tone = rng.uniform(150, 300)
    ring = np.sin(2 * np.pi * tone * t) + 0.6 * np.sin(2 * np.pi * tone * rng.uniform(1.4, 1.9) * t)
    top = rng.uniform(2500, 6000) if rng.random() < 0.3 else rng.uniform(6000, 16_000)
    noise = _filtered(_noise(rng, t), rng.uniform(300, 1500), top) * np.exp(-t * rng.uniform(9, 40))
    return rng.uniform(0.2, 1.2) * ring * np.exp(-t * rng.uniform(14, 45)) + rng.uniform(0.5, 1.5) * noise


def gated_snare(rng: np.random.Generator) -> FloatArray:
    """Return a snare in a loud room that is cut off."""
    t = _time(0.4)
    room = _filtered(_noise(rng, t), rng.uniform(200, 700), rng.uniform(4000, 12_000))
    end = rng.uniform(0.1, 0.28)
    gate = np.clip((end - t) / 0.012, 0, 1) * np.exp(-t * rng.uniform(1, 5))
    dry = np.pad(ringing_snare(rng), (0, len(t)))[: len(t)]
    return np.asarray(dry / np.abs(dry).max() + rng.uniform(0.3, 0.9) * room / 3 * gate)


def long_snare(rng: np.random.Generator) -> FloatArray:
    """Return a snare whose noise rings on for most of a second."""
    t = _time(0.9)
    tone = rng.uniform(160, 240)
    noise = _filtered(_noise(rng, t), rng.uniform(400, 1200), rng.uniform(5000, 13_000))
    body = np.sin(2 * np.pi * tone * t) * np.exp(-t * 20)
    return np.asarray(rng.uniform(0.3, 1) * body + noise / 3 * np.exp(-t * rng.uniform(3.5, 8)))


def layered_snare(rng: np.random.Generator) -> FloatArray:
    """Return a snare and a clap at once, or nearly."""
    snare, hands = ringing_snare(rng), clap(rng)
    first = round(rng.uniform(0, 0.008) * RATE)
    sound = np.zeros(max(len(snare), len(hands) + first))
    sound[: len(snare)] += snare / np.abs(snare).max()
    sound[first : first + len(hands)] += rng.uniform(0.3, 1.2) * hands / np.abs(hands).max()
    return sound


def rim(rng: np.random.Generator) -> FloatArray:
    """Return a stick on a rim: two short high tones."""
    t = _time(0.2)
    tone = rng.uniform(380, 1100)
    ring = np.sin(2 * np.pi * tone * t) + rng.uniform(0.3, 1) * np.sin(
        2 * np.pi * tone * rng.uniform(2, 4) * t
    )
    return ring * np.exp(-t * rng.uniform(40, 120)) + rng.uniform(0.1, 0.5) * _click(rng, t)


def brush(rng: np.random.Generator) -> FloatArray:
    """Return a brush on a skin: soft noise that takes some milliseconds to come."""
    t = _time(0.35)
    swish = _filtered(_noise(rng, t), rng.uniform(500, 1500), rng.uniform(5000, 10_000))
    return np.asarray(swish * np.minimum(t / rng.uniform(0.002, 0.01), 1) * np.exp(-t * rng.uniform(10, 25)))


def burst(rng: np.random.Generator) -> FloatArray:
    """Return noise of a sound chip: held values, falling by steps."""
    t = _time(rng.uniform(0.1, 0.35))
    return _held_noise(rng, t, rng.uniform(3000, 16_000)) * np.exp(
        -np.floor(t * 60) / 60 * rng.uniform(8, 30)
    )


def plastic_snare(rng: np.random.Generator) -> FloatArray:
    """Return an early drum machine's snare: two bent tones and band-passed noise."""
    t = _time(0.3)
    low, high = rng.uniform(140, 210), rng.uniform(280, 400)
    tones = np.sin(_falling(t, low, 0.4, 60)) + rng.uniform(0.3, 1) * np.sin(_falling(t, high, 0.3, 60))
    noise = _filtered(_noise(rng, t), rng.uniform(800, 2500), rng.uniform(3500, 9000))
    noise = noise / 3 * np.exp(-t * rng.uniform(12, 35))
    return np.asarray(tones * np.exp(-t * rng.uniform(18, 50)) + rng.uniform(0.4, 1.5) * noise)


def stab(rng: np.random.Generator) -> FloatArray:
    """Return a short chord of saws that plays the part of a snare."""
    t = _time(0.25)
    root = rng.uniform(180, 420)
    saws = sum((root * ratio * t % 1) - 0.5 for ratio in (1, 1.19, 1.5, 2.01))
    return _filtered(np.asarray(saws), 200, rng.uniform(2000, 9000)) * np.exp(-t * rng.uniform(12, 30))


def fm_snare(rng: np.random.Generator) -> FloatArray:
    """Return a frequency-modulated clang over noise."""
    t = _time(0.35)
    tone, ratio = rng.uniform(150, 330), rng.uniform(1.3, 3.7)
    bend = rng.uniform(2, 9) * np.exp(-t * 15) * np.sin(2 * np.pi * tone * ratio * t)
    clang = np.sin(2 * np.pi * tone * t + bend) * np.exp(-t * rng.uniform(12, 30))
    hiss = _filtered(_noise(rng, t), 1500, rng.uniform(6000, 14_000)) / 3 * np.exp(-t * rng.uniform(10, 30))
    return np.asarray(clang + rng.uniform(0.2, 1) * hiss)


def clap(rng: np.random.Generator) -> FloatArray:
    """Return some hands that clap a moment apart."""
    t = _time(0.35)
    gap, count = rng.uniform(0.007, 0.013), int(rng.integers(2, 6))
    bursts = sum(np.exp(-np.maximum(t - n * gap, 0) * 120) * (t >= n * gap) for n in range(count))
    tail = np.exp(-np.maximum(t - count * gap, 0) * rng.uniform(14, 35)) * (t >= count * gap)
    hands = _filtered(_noise(rng, t), rng.uniform(700, 1200), rng.uniform(2500, 9000))
    return np.asarray(hands * (bursts + tail))


def wide_clap(rng: np.random.Generator) -> FloatArray:
    """Return a clap in a hall."""
    t = _time(0.9)
    hall = _filtered(_noise(rng, t), rng.uniform(500, 1000), rng.uniform(3000, 7000))
    hall = hall / 3 * np.exp(-t * rng.uniform(4, 9))
    dry = np.pad(clap(rng), (0, len(t)))[: len(t)]
    return np.asarray(dry / np.abs(dry).max() + rng.uniform(0.15, 0.5) * hall)


def single_clap(rng: np.random.Generator) -> FloatArray:
    """Return one pair of hands."""
    t = _time(0.2)
    return _filtered(_noise(rng, t), rng.uniform(600, 1500), rng.uniform(2500, 8000)) * np.exp(
        -t * rng.uniform(25, 80)
    )


def snap(rng: np.random.Generator) -> FloatArray:
    """Return a finger's snap: a narrow, very short band of noise."""
    t = _time(0.15)
    tone = rng.uniform(1200, 3000)
    return _filtered(_noise(rng, t), tone * 0.8, tone * 1.25) * np.exp(-t * rng.uniform(40, 90))


def metal(decay: tuple[float, float], seconds: float) -> Recipe:
    """Return a recipe for noise and square tones that fall by a factor e in 1 / decay seconds."""

    def made(rng: np.random.Generator) -> FloatArray:
        t = _time(seconds)
        sound = _filtered(_noise(rng, t), rng.uniform(4500, 8500), rng.uniform(13_000, 19_000))
        if rng.random() < 0.5:
            tones = [2 * f * rng.uniform(0.9, 1.1) for f in (205, 304, 369, 522, 540, 800)]
            ring = np.sum([np.sign(np.sin(2 * np.pi * f * t)) for f in tones], axis=0)
            sound = rng.uniform(0.1, 0.6) * sound + 0.8 * _filtered(ring, rng.uniform(3000, 8000), 17_000)
        return np.asarray(sound * np.exp(-t * rng.uniform(*decay)))

    return made


def modulated(decay: tuple[float, float], seconds: float) -> Recipe:
    """Return a recipe for metal by frequency modulation, as keyboards with a few operators have it."""

    def made(rng: np.random.Generator) -> FloatArray:
        t = _time(seconds)
        carrier, ratio = rng.uniform(2000, 8000), rng.uniform(1.2, 2.9)
        inner = rng.uniform(0.5, 6) * np.sin(2 * np.pi * carrier * ratio * rng.uniform(1.1, 1.9) * t)
        wobble = rng.uniform(1, 8) * np.sin(2 * np.pi * carrier * ratio * t + inner)
        sound = np.sin(2 * np.pi * carrier * t + wobble) + rng.uniform(0, 0.3) * _noise(rng, t)
        return _filtered(sound, rng.uniform(1500, 5000), 18_000) * np.exp(-t * rng.uniform(*decay))

    return made


def hissing(decay: tuple[float, float], seconds: float) -> Recipe:
    """Return a recipe for noise and nothing else: of a chip, dull, or in the highest octave only."""

    def made(rng: np.random.Generator) -> FloatArray:
        t = _time(seconds)
        kind = rng.integers(3)
        if kind == 0:
            sound = _held_noise(rng, t, rng.uniform(16_000, 44_000))
        elif kind == 1:
            sound = _filtered(_noise(rng, t), rng.uniform(2500, 4000), rng.uniform(6000, 9000))
        else:
            sound = _filtered(_noise(rng, t), rng.uniform(7000, 10_000), 19_000)
        return np.asarray(sound * np.exp(-t * rng.uniform(*decay)))

    return made


def shaker(rng: np.random.Generator) -> FloatArray:
    """Return beads that are shaken: noise which comes and goes."""
    t = _time(0.25)
    rise = rng.uniform(0.004, 0.02)
    shape = np.minimum(t / rise, 1) ** 2 * np.exp(-np.maximum(t - rise, 0) * rng.uniform(18, 60))
    return np.asarray(_filtered(_noise(rng, t), rng.uniform(3000, 6500), rng.uniform(9000, 17_000)) * shape)


def tambourine(rng: np.random.Generator) -> FloatArray:
    """Return jingles: high tones that are struck a few times within some hundredths of a second."""
    t = _time(0.4)
    sound = np.zeros(len(t))
    for _ in range(int(rng.integers(3, 8))):
        first = rng.uniform(0, 0.03) if sound.any() else 0.0
        after = np.maximum(t - first, 0)
        tones = np.sum([np.sin(2 * np.pi * f * after) for f in rng.uniform(4000, 12_000, 4)], axis=0)
        sound += tones * np.exp(-after * rng.uniform(15, 45)) * (t >= first)
    return sound + 0.5 * _filtered(_noise(rng, t), 5000, 15_000) * np.exp(-t * 30)


def crash(rng: np.random.Generator) -> FloatArray:
    """Return a wash of noise that falls slowly."""
    t = _time(1.5)
    return _filtered(_noise(rng, t), rng.uniform(2000, 4500), 18_000) * np.exp(-t * rng.uniform(2, 5))


def tuned(low: float, high: float) -> Recipe:
    """Return a recipe for a skin or a block of wood between two pitches, Hz."""

    def made(rng: np.random.Generator) -> FloatArray:
        t, pitch = _time(0.5), rng.uniform(low, high)
        tone = np.sin(2 * np.pi * (pitch * t + pitch * 0.02 * (1 - np.exp(-20 * t))))
        return tone * np.exp(-t * rng.uniform(6, 16)) + 0.1 * _noise(rng, t) * np.exp(-t * 80)

    return made


def bell(rng: np.random.Generator) -> FloatArray:
    """Return a cowbell: two square tones that do not agree."""
    t, pitch = _time(0.4), rng.uniform(450, 900)
    tones = np.sign(np.sin(2 * np.pi * pitch * t)) + np.sign(
        np.sin(2 * np.pi * pitch * rng.uniform(1.4, 1.55) * t)
    )
    return _filtered(tones, pitch * 0.8, pitch * 5) * np.exp(-t * rng.uniform(8, 25))


CLOSED, OPEN, RIDE = (28.0, 130.0), (5.0, 14.0), (2.5, 6.0)
RECIPES: Mapping[str, tuple[Recipe, ...]] = {
    "kick": (falling_kick, falling_kick, booming_kick, driven_kick, thud, chip_kick),
    "snare": (
        ringing_snare,
        ringing_snare,
        plastic_snare,
        gated_snare,
        long_snare,
        layered_snare,
        rim,
        brush,
        burst,
        stab,
    ),
    "clap": (clap, wide_clap, single_clap, snap),
    "hat": (
        metal(CLOSED, 0.2),
        metal(CLOSED, 0.2),
        modulated(CLOSED, 0.2),
        hissing(CLOSED, 0.2),
        shaker,
        tambourine,
    ),
    "open": (metal(OPEN, 0.6), metal(OPEN, 0.6), modulated(OPEN, 0.6), hissing(OPEN, 0.6)),
    "ride": (metal(RIDE, 1.2), modulated(RIDE, 1.2)),
    "crash": (crash,),
    "tom": (tuned(80, 220),),
    "perc": (tuned(250, 900), bell),
}
"""The ways to build each drum."""
KEPT_APART: Mapping[str, tuple[Recipe, ...]] = {"kick": (fm_kick,), "snare": (fm_snare,)}
"""Further ways, of which nothing is learned: they are in kits to check on."""


def _time(seconds: float) -> FloatArray:
    return np.arange(round(seconds * RATE)) / RATE


def _falling(t: FloatArray, low: float, depth: float, speed: float) -> FloatArray:
    """Return the phase of a tone that falls to `low` Hz from ``low * (1 + depth)``."""
    return np.asarray(2 * np.pi * (low * t + low * depth / speed * (1 - np.exp(-speed * t))))


def _click(rng: np.random.Generator, t: FloatArray) -> FloatArray:
    return _filtered(_noise(rng, t), 1000, rng.uniform(3000, 9000)) / 3 * np.exp(-t * rng.uniform(150, 600))


def _noise(rng: np.random.Generator, t: FloatArray) -> FloatArray:
    return rng.normal(size=len(t))


def _held_noise(rng: np.random.Generator, t: FloatArray, rate: float) -> FloatArray:
    values = rng.choice([-1.0, 1.0], size=int(t[-1] * rate) + 2)
    return np.asarray(values[(t * rate).astype(np.int64)])


def _stepped(sound: FloatArray, n_steps: int) -> FloatArray:
    return np.round(sound * n_steps) / n_steps


def _filtered(signal: FloatArray, low: float, high: float) -> FloatArray:
    sections = scipy.signal.butter(2, (low, min(high, 20_000)), "bandpass", fs=RATE, output="sos")
    sound = np.asarray(scipy.signal.sosfilt(sections, signal))
    return sound / (np.std(sound) + 1e-9)
