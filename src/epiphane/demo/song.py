"""The demo song: composed in code, so that every beat and hit is known to the sample.

Fourteen bars of 4/4 at 112 BPM, which are exactly 30 s: four calm bars of mallets, three that build,
five of everything, two that let go.
"""

from typing import Literal

import numpy as np
import scipy.signal

from epiphane.types import Float32Array, FloatArray

RATE = 44_100
TEMPO = 112.0
N_BARS = 14
BEAT = 60 / TEMPO
DURATION = N_BARS * 4 * BEAT

_CALM, _BUILD, _FULL, _END = range(4), range(4, 7), range(7, 12), range(12, 14)
_CHORDS = ((50, 57, 60, 65), (46, 53, 58, 62), (41, 53, 57, 60), (48, 55, 60, 64))  # Dm, Bb, F, C
_MELODY = (74, None, 77, 79, None, 81, 79, 77, 74, None, 72, 74, None, 69, 72, None)


class Composition:
    """The song and what is known about it.

    Attributes
    ----------
    sound : float32, shape (n_samples, 2)
    hits : dict of str to list of float
        The times of each drum's attacks in seconds: ``kick``, ``clap``, ``hat``.
    """

    def __init__(self) -> None:
        n_samples = round(DURATION * RATE)
        self.hits: dict[str, list[float]] = {"kick": [], "clap": [], "hat": []}
        self._rng = np.random.default_rng(112)
        self._dry = np.zeros((n_samples + 4 * RATE, 2))
        self._wet = np.zeros_like(self._dry)
        self._duck = np.ones(len(self._dry))
        self._write_drums()
        self._write_bass()
        self._write_mallets()
        self._write_pad()
        self.sound = self._mixed()[:n_samples]

    def truth(self) -> dict[str, object]:
        """Return what listening should find, in the words of ``epiphane listen``."""
        beats = [k * BEAT for k in range(4 * N_BARS)]
        return {
            "duration": DURATION,
            "tempo": TEMPO,
            "beats_per_bar": 4,
            "beats": beats,
            "downbeats": beats[::4],
            "pulses": self.hits,
        }

    def _put(
        self, time: float, sound: FloatArray, *, level: float, pan: float = 0.0, wet: float = 0.1
    ) -> None:
        """Mix a mono sound in; `pan` is -1 (left) to 1, by constant power."""
        start = round(time * RATE)
        angle = (pan + 1) * np.pi / 4
        stereo = sound[:, None] * np.array([np.cos(angle), np.sin(angle)]) * level
        self._dry[start : start + len(stereo)] += stereo
        self._wet[start : start + len(stereo)] += stereo * wet

    def _write_drums(self) -> None:
        kick, clap = _kick(), _clap(self._rng)
        hats = [_hat(self._rng, decay) for decay in (0.035, 0.16)]
        for bar in range(N_BARS):
            for step in range(16):
                time = (bar * 4 + step / 4) * BEAT
                if _kick_plays(bar, step):
                    self._put(time, kick, level=0.85 if bar in _FULL else 0.7, wet=0.02)
                    self.hits["kick"].append(time)
                    self._push_down(time)
                if _clap_plays(bar, step):
                    level = 0.34 if bar in _FULL else 0.14 + 0.012 * step
                    self._put(time, clap, level=level, pan=0.06, wet=0.3)
                    self.hits["clap"].append(time)
                if _hat_plays(bar, step):
                    is_open = bar in _FULL and step % 4 == 2
                    level = 0.13 if is_open else 0.085 + 0.04 * (step % 4 == 0)
                    self._put(time, hats[is_open], level=level, pan=-0.25, wet=0.08)
                    self.hits["hat"].append(time)

    def _push_down(self, time: float) -> None:
        """Let bass and pad make room for the kick."""
        start, length = round(time * RATE), round(0.22 * RATE)
        dip = 1 - 0.6 * np.exp(-np.arange(length) / RATE / 0.07)
        part = self._duck[start : start + length]
        np.minimum(part, dip[: len(part)], out=part)

    def _write_bass(self) -> None:
        for bar in [*_BUILD, *_FULL]:
            root = _CHORDS[bar % 4][0] - 12
            for step, length in ((0, 3), (3, 3), (6, 2), (8, 3), (11, 3), (14, 2)):
                time = (bar * 4 + step / 4) * BEAT
                tone = _bass(_pitch(root + (12 if step == 14 else 0)), length * BEAT / 4)
                self._put(time, tone * self._duck_at(time, len(tone)), level=0.32, wet=0.0)

    def _write_mallets(self) -> None:
        for bar in range(N_BARS):
            for step, note in enumerate(_MELODY):
                if note is None or (bar in _END and step % 4):
                    continue
                time = (bar * 4 + step / 4) * BEAT
                soft = 0.75 if bar in _CALM or bar in _END else 1.0
                loud = soft * (0.2 + 0.05 * (step % 4 == 0))
                pan = 0.5 * np.sin(step * 2.4 + bar)
                tuned = note + (0, 0, -5, -2)[bar % 4]
                self._put(time, _mallet(_pitch(tuned), 1.6), level=loud, pan=pan, wet=0.45)
                if bar in _FULL and step % 8 == 0:
                    self._put(time, _mallet(_pitch(tuned + 12), 1.2), level=0.1, pan=-pan, wet=0.6)
        self._put((N_BARS * 4 - 4) * BEAT, _mallet(_pitch(50), 3.0), level=0.25, wet=0.7)

    def _write_pad(self) -> None:
        for bar in range(N_BARS):
            time, length = bar * 4 * BEAT, 4 * BEAT + 0.6
            level = 0.030 if bar in _CALM or bar in _END else 0.042
            for index, note in enumerate(_CHORDS[bar % 4]):
                bright = 700 + 300 * max(0, min(bar - 3, 5))
                tone = _pad(_pitch(note), length, bright, self._rng)
                tone *= self._duck_at(time, len(tone))
                self._put(time, tone, level=level, pan=(index - 1.5) / 2, wet=0.5)
        rise = _riser(self._rng, len(_BUILD) * 4 * BEAT)
        self._put(_BUILD.start * 4 * BEAT, rise, level=0.09, wet=0.3)

    def _duck_at(self, time: float, n_samples: int) -> FloatArray:
        start = round(time * RATE)
        return self._duck[start : start + n_samples]

    def _mixed(self) -> Float32Array:
        room = _room(self._rng)
        wet = np.stack(
            [scipy.signal.fftconvolve(self._wet[:, c], room[:, c])[: len(self._wet)] for c in (0, 1)], 1
        )
        mix = self._dry + 0.5 * wet
        mix *= 0.82 / np.abs(mix).max() * 1.35
        return np.asarray(np.tanh(mix) * 0.97, np.float32)  # rounded peaks instead of clipped ones


def _kick_plays(bar: int, step: int) -> bool:
    if bar in _FULL:
        return step % 4 == 0 or (bar == _FULL.stop - 1 and step == 14)
    return bar in _BUILD and step % 8 == 0


def _clap_plays(bar: int, step: int) -> bool:
    if bar in _FULL:
        return step in (4, 12)
    return bar == _BUILD.stop - 1 and (step in (4, 8) or step >= 12)


def _hat_plays(bar: int, step: int) -> bool:
    if bar in _FULL:
        return step % 2 == 0
    return (bar in _BUILD or bar == _CALM.stop - 1) and step % 4 == 0


def _pitch(note: int) -> float:
    return 440 * 2 ** ((note - 69) / 12)


def _time(seconds: float) -> FloatArray:
    return np.arange(round(seconds * RATE)) / RATE


def _kick() -> FloatArray:
    t = _time(0.38)
    frequency = 48 + 140 * np.exp(-t / 0.018)
    body = np.sin(2 * np.pi * np.cumsum(frequency) / RATE) * np.exp(-t / 0.11)
    return body + 0.35 * np.cos(2 * np.pi * 2400 * t) * np.exp(-t / 0.002)


def _clap(rng: np.random.Generator) -> FloatArray:
    t = _time(0.3)
    tail = np.exp(-t / 0.075)
    for delay in (0.009, 0.019):
        tail += 0.8 * np.exp(-np.maximum(t - delay, 0) / 0.006) * (t >= delay)
    return _filtered(rng.normal(size=len(t)), "bandpass", (900, 5200)) * tail


def _hat(rng: np.random.Generator, decay: float) -> FloatArray:
    t = _time(decay * 5)
    return _filtered(rng.normal(size=len(t)), "highpass", 7500) * np.exp(-t / decay)


def _bass(frequency: float, seconds: float) -> FloatArray:
    t = _time(seconds)
    saw = sum(np.sin(2 * np.pi * n * frequency * t) / n * np.exp(-t * n * 2.2) for n in range(1, 9))
    fade = np.minimum(1, t / 0.006) * np.minimum(1, (seconds - t) / 0.02)
    return np.asarray(np.tanh(1.4 * saw) * fade)


def _mallet(frequency: float, seconds: float) -> FloatArray:
    """A wooden bar: its second mode is four times, its third ten times as high."""
    t = _time(seconds)
    strike = 0.12 * np.sin(2 * np.pi * 9.9 * frequency * t) * np.exp(-t / 0.02)
    second = 0.35 * np.sin(2 * np.pi * 3.98 * frequency * t) * np.exp(-t / 0.11)
    return np.asarray(np.sin(2 * np.pi * frequency * t) * np.exp(-t / 0.42) + second + strike)


def _pad(frequency: float, seconds: float, bright: float, rng: np.random.Generator) -> FloatArray:
    t = _time(seconds)
    tone = np.zeros_like(t)
    for cents in (-6, 0, 7):
        phase = rng.uniform(0, 1)
        tone += scipy.signal.sawtooth(2 * np.pi * (frequency * 2 ** (cents / 1200) * t + phase))
    fade = np.minimum(1, t / 0.5) * np.minimum(1, (seconds - t) / 0.6)
    return np.asarray(_filtered(tone, "lowpass", bright) * fade)


def _riser(rng: np.random.Generator, seconds: float) -> FloatArray:
    t = _time(seconds)
    noise = rng.normal(size=len(t))
    low, high = _filtered(noise, "bandpass", (500, 1500)), _filtered(noise, "highpass", 3500)
    share = t / seconds
    return np.asarray((low * (1 - share) + high * share) * share**2.5)


def _room(rng: np.random.Generator) -> FloatArray:
    t = _time(1.8)
    early = (t > 0.012) * np.exp(-t / 0.33)
    tail = rng.normal(size=(len(t), 2)) * early[:, None] * 0.03
    return np.stack([_filtered(tail[:, c], "lowpass", 6500) for c in (0, 1)], 1)


def _filtered(
    signal: FloatArray, kind: Literal["lowpass", "bandpass", "highpass"], edges: float | tuple[float, float]
) -> FloatArray:
    sections = scipy.signal.butter(2, edges, kind, fs=RATE, output="sos")
    return np.asarray(scipy.signal.sosfilt(sections, signal))
