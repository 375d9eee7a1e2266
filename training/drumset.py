"""The drums of one song: chosen from a kit, and in songs to learn from worked over in many ways."""

from functools import cache

import numpy as np
import scipy.signal
import soxr

from epiphane.types import FloatArray
from training.kit import RATE, Drum, Family, Kit, make_kit
from training.sampled import load_kits
from training.styles import Style

_STAND_INS = {"ride": "hat", "crash": "hat", "open": "hat", "tom": "snare", "perc": "snare", "clap": "snare"}
_LEVELS = {
    "kick": (0.7, 1.1),
    "snare": (0.5, 0.95),
    "clap": (0.5, 0.95),
    "hat": (0.12, 0.4),
    "open": (0.12, 0.4),
    "ride": (0.12, 0.35),
    "crash": (0.25, 0.5),
    "tom": (0.5, 0.8),
    "perc": (0.2, 0.6),
}
# Shares of the songs to learn from.
_ON_A_KIT_OF_ITS_OWN, _MIXED, _WORKED_OVER, _WITH_A_STICK = 0.3, 0.4, 0.4, 0.12
_N_KITS_OF_ITS_OWN = 10_000


class Drumset:
    """The drums of one song: one of each name, at a chance level."""

    def __init__(self, rng: np.random.Generator, family: Family, style: Style, *, is_sampled: bool) -> None:
        kits = load_kits(family) if is_sampled else _synthesised_kits(family)
        is_learned_from = family is Family.DEVELOPMENT and is_sampled
        self.number = int(rng.integers(len(kits)))
        kit = kits[self.number]
        other = kits[int(rng.integers(len(kits)))]
        if is_learned_from and rng.random() < _ON_A_KIT_OF_ITS_OWN:
            own = int(rng.integers(_N_KITS_OF_ITS_OWN))
            self.number, kit = len(kits) + own, make_kit(np.random.default_rng((own, 1)), family)
        is_mixed = family is Family.DEVELOPMENT and rng.random() < _MIXED
        self._drums: dict[str, Drum] = {}
        for name in sorted(kit.drums.keys() - {"stick"}):
            source = other if is_mixed and rng.random() < 0.5 and name in other.drums else kit
            options = source.drums[name]
            if name == "snare" and "stick" in source.drums and rng.random() < _WITH_A_STICK:
                options = source.drums["stick"]
            drum = options[int(rng.integers(len(options)))]
            self._drums[name] = _altered(rng, drum) if is_mixed else drum
        if is_learned_from and rng.random() < _WORKED_OVER:
            self._drums |= {name: _worked_over(rng, self._drums[name], name, kit, other) for name in _LAYERS}
        has_clap = "clap" in self._drums
        self._has_clap_for_snare = has_clap and rng.random() < (0.35 if style.is_dance else 0.08)
        self.has_clap_on_snare = has_clap and rng.random() < 0.1
        self.gains = {name: rng.uniform(*levels) for name, levels in _LEVELS.items()}

    def drum(self, name: str) -> tuple[str, Drum] | None:
        """Return the drum of a name, or what stands in for it, and the name that it then has."""
        if name == "snare" and self._has_clap_for_snare:
            name = "clap"
        name = name if name in self._drums else _STAND_INS.get(name, name)
        return (name, self._drums[name]) if name in self._drums else None


def _altered(rng: np.random.Generator, drum: Drum) -> Drum:
    """Return a drum tuned, shortened and coloured otherwise."""
    ratio, damping = 2 ** rng.uniform(-0.35, 0.35), rng.uniform(0, 12) if rng.random() < 0.5 else 0.0
    gain, corner = 10 ** (rng.uniform(-8, 8) / 20), float(rng.choice([300, 1000, 4000]))
    sections = scipy.signal.butter(1, corner, "low", fs=RATE, output="sos")
    layers = []
    for shot in drum.layers:
        sound = soxr.resample(shot, RATE, RATE * ratio)
        sound = sound * np.exp(-np.arange(len(sound)) / RATE * damping)
        low = scipy.signal.sosfilt(sections, sound)
        sound = low * gain + (sound - low) / gain
        layers.append(sound / (np.abs(sound).max() + 1e-9))
    return Drum(tuple(layers))


_LAYERS = {"kick": ("kick",), "snare": ("snare", "clap", "hat"), "hat": ("hat", "open")}
"""What is struck together with a drum as one sound."""


def _worked_over(rng: np.random.Generator, drum: Drum, name: str, *kits: Kit) -> Drum:
    """Return a drum as it leaves a mixing desk: with another under it, in a room, gated, driven, each by
    chance."""
    layers = drum.layers
    if rng.random() < 0.4:
        under = _any_of(rng, kits, str(rng.choice(_LAYERS[name])))
        share, late = rng.uniform(0.15, 0.8), rng.uniform(0, 0.006) * (rng.random() < 0.5)
        layers = tuple(_sum(shot, share * under, late) for shot in layers)
    if name != "hat" and rng.random() < 0.35:
        room = _room(rng)
        layers = tuple(_sum(shot, rng.uniform(0.2, 0.7) * _convolved(shot, room), 0) for shot in layers)
    if rng.random() < 0.35:
        drive = rng.uniform(1.5, 8)
        layers = tuple(np.tanh(shot / np.abs(shot).max() * drive) for shot in layers)
    if rng.random() < 0.3:
        gate = _gate(rng)
        layers = tuple(shot * gate[: len(shot)] for shot in layers)
    return Drum(tuple(shot / (np.abs(shot).max() + 1e-9) for shot in layers))


def _any_of(rng: np.random.Generator, kits: tuple[Kit, ...], name: str) -> FloatArray:
    options = [shot for kit in kits for drum in kit.drums.get(name, ()) for shot in drum.layers[-1:]]
    return options[int(rng.integers(len(options)))] if options else np.zeros(1)


def _sum(first: FloatArray, second: FloatArray, late: float) -> FloatArray:
    """Return two sounds at once, the second so many seconds late."""
    start = round(late * RATE)
    total = np.zeros(max(len(first), start + len(second)))
    total[: len(first)] += first
    total[start : start + len(second)] += second
    return total


def _room(rng: np.random.Generator) -> FloatArray:
    """Return an impulse response: noise that falls by 60 dB within .15 to 1 s, after a first silence."""
    seconds = rng.uniform(0.15, 1.0)
    t = np.arange(round(seconds * RATE)) / RATE
    tail = rng.normal(size=len(t)) * 10 ** (-3 * t / seconds)
    sections = scipy.signal.butter(
        1, (rng.uniform(120, 500), rng.uniform(2500, 9000)), "band", fs=RATE, output="sos"
    )
    tail = np.asarray(scipy.signal.sosfilt(sections, tail))
    return np.concatenate([np.zeros(round(rng.uniform(0.002, 0.02) * RATE)), tail])


def _convolved(shot: FloatArray, room: FloatArray) -> FloatArray:
    wet = scipy.signal.fftconvolve(shot, room)
    return np.asarray(wet / (np.abs(wet).max() + 1e-9))


def _gate(rng: np.random.Generator) -> FloatArray:
    """Return a gain over 4 s: open for 60 to 250 ms, then shut within 5 to 40 ms."""
    t = np.arange(4 * RATE) / RATE
    return np.clip(1 - (t - rng.uniform(0.06, 0.25)) / rng.uniform(0.005, 0.04), 0, 1)


@cache
def _synthesised_kits(family: Family) -> tuple[Kit, ...]:
    first = 500 if family is Family.DEVELOPMENT else 700
    return tuple(make_kit(np.random.default_rng(first + n), family) for n in range(6))
