"""Render a song of a style, and say exactly what is true of it."""

from dataclasses import dataclass, field

import numpy as np
import scipy.signal

from epiphane.types import FloatArray
from training.kit import RATE, make_kit
from training.styles import Style

_STRENGTHS = {"x": 1.0, "o": 0.65, ".": 0.35}
_PROGRESSIONS = ((0, 9, 5, 7), (0, 5, 7, 5), (9, 5, 0, 7), (0, 3, 8, 10))
_LEVELS = {"kick": 0.9, "snare": 0.75, "hat": 0.25, "open": 0.25, "crash": 0.35, "tom": 0.7}


@dataclass(frozen=True)
class RenderedSong:
    """A song and its truth.

    Attributes
    ----------
    sound : float32, shape (n_samples,), at `RATE`
    beats, downbeats : float64, seconds from the first sample, ascending
    hits : attack times in seconds, by drum
    is_steady : bool
        Whether it was made to a machine's clock.
    """

    name: str
    sound: np.ndarray
    beats: FloatArray
    downbeats: FloatArray
    is_steady: bool
    hits: dict[str, list[float]] = field(default_factory=dict)


def render_song(style: Style, seed: int, *, seconds: float = 26.0) -> RenderedSong:
    """Return a song of a style; equal seeds give equal songs.

    About half are played by a machine, the others with jitter and a tempo that drifts. Half begin
    after some silence, and a third without drums.
    """
    rng = np.random.default_rng(seed)
    is_steady = rng.random() < 0.55
    beats = _beat_times(rng, style, seconds, is_steady=is_steady)
    band = _Band(rng, style, beats, seconds, jitter=0.0 if is_steady else rng.uniform(0.003, 0.012))
    n_bars = (len(beats) - 1) // style.beats
    silent = int(rng.integers(2, 5)) if style.has_drums and rng.random() < 0.33 else 0
    for bar in range(n_bars):
        band.play_backing(bar)
        if style.has_drums and bar >= silent:
            band.play_drums(bar, is_fill=bar % 4 == 3 and rng.random() < 0.5)
    heard = beats[beats < seconds - 0.05]
    firsts = beats[:: style.beats]
    return RenderedSong(
        name=f"{style.name} {seed}",
        sound=band.mixed(),
        beats=heard,
        downbeats=firsts[firsts < seconds - 0.05],
        is_steady=is_steady,
        hits={drum: sorted(times) for drum, times in band.hits.items()},
    )


def _beat_times(rng: np.random.Generator, style: Style, seconds: float, *, is_steady: bool) -> FloatArray:
    tempo = rng.uniform(*style.tempo)
    if is_steady and rng.random() < 0.7:
        tempo = round(tempo)
    start = 0.0 if rng.random() < 0.5 else rng.uniform(0.05, 3.0)
    if is_steady:
        return start + np.arange(int((seconds - start) * tempo / 60) + 2) * 60 / tempo
    depth, period = rng.uniform(0.005, 0.05), rng.uniform(6, 25)
    times = [start]
    while times[-1] < seconds:
        times.append(times[-1] + 60 / (tempo * (1 + depth * np.sin(times[-1] / period * 2 * np.pi))))
    return np.array(times)


class _Band:
    """Everybody who plays: drums and backing on tracks of their own."""

    def __init__(
        self, rng: np.random.Generator, style: Style, beats: FloatArray, seconds: float, *, jitter: float
    ) -> None:
        self.hits: dict[str, list[float]] = {"kick": [], "snare": [], "hat": []}
        self._rng, self._style, self._beats, self._jitter = rng, style, beats, jitter
        self._n_samples = round(seconds * RATE)
        self._kit = make_kit(rng, is_electronic=style.is_electronic)
        self._drums = np.zeros(self._n_samples + 2 * RATE)
        self._backing = np.zeros_like(self._drums)
        self._progression = _PROGRESSIONS[rng.integers(len(_PROGRESSIONS))]
        self._root = int(rng.integers(36, 48))
        self._brightness = rng.uniform(1.0, 2.2)
        self._has_lead = rng.random() < 0.5

    def play_drums(self, bar: int, *, is_fill: bool) -> None:
        """Play a bar of the pattern; a fill puts drums of its own into the last beat."""
        style = self._style
        n_steps = style.beats * style.steps
        fill_from = n_steps - style.steps if is_fill and not style.is_electronic else n_steps
        for drum, pattern in (("kick", style.kick), ("snare", style.snare), ("hat", style.hat)):
            for step, mark in enumerate(pattern[:fill_from]):
                if mark != "-":
                    self._strike(drum, self._time(bar, step), _STRENGTHS[mark])
        for step in range(fill_from, n_steps):
            drum = ("snare", "tom", "kick")[int(self._rng.integers(3))]
            self._strike(drum, self._time(bar, step), self._rng.uniform(0.6, 1))
        if bar % 4 == 0 and self._rng.random() < 0.6:
            self._strike("crash", self._time(bar, 0), 0.9)

    def play_backing(self, bar: int) -> None:
        """Play bass and chord of a bar, and in half of the songs a lead over it."""
        style, rng = self._style, self._rng
        chord = self._progression[bar % 4]
        length = self._beats[(bar + 1) * style.beats] - self._beats[bar * style.beats]
        beat = length / style.beats
        places = {
            "long": [0.0],
            "quarter": [float(k) for k in range(style.beats)],
            "eighth": [k / 2 for k in range(2 * style.beats)],
            "off": [k + 0.5 for k in range(style.beats)],
        }[style.bass]
        for place in places:
            note_length = (
                length if style.bass == "long" else 0.8 * beat * (1 if style.bass == "quarter" else 0.5)
            )
            self._note(self._at(bar, place), self._root + chord % 12 - 12, note_length, 0.5)
        is_strummed = not style.has_drums or rng.random() < 0.5
        for place in range(style.beats) if is_strummed else [0]:
            for third in (0, 4 if chord in (0, 5, 7) else 3, 7):
                note_length = 0.9 * beat if is_strummed else length
                self._note(self._at(bar, place), self._root + 12 + chord % 12 + third, note_length, 0.16)
        if self._has_lead:
            for place in np.arange(0, style.beats, 0.5):
                if rng.random() < 0.45:
                    pitch = self._root + 24 + chord % 12 + int(rng.choice([0, 2, 4, 7]))
                    self._note(self._at(bar, float(place)), pitch, 0.7 * beat, 0.22)

    def mixed(self) -> np.ndarray:
        """Return drums and backing at a chance balance, coloured by chance, float32."""
        rng = self._rng
        drums, backing = self._drums[: self._n_samples], self._backing[: self._n_samples]
        backing = backing / (np.std(backing) + 1e-9)
        if self._style.has_drums:
            loud = np.abs(drums) > 1e-4
            drums = drums / (np.std(drums[loud]) + 1e-9) * 10 ** (rng.uniform(-5, 7) / 20)
        mix = backing + drums
        if rng.random() < 0.4:
            mix = np.tanh(mix / np.abs(mix).max() * rng.uniform(1.5, 4))
        if rng.random() < 0.25:
            sections = scipy.signal.butter(6, rng.uniform(12_000, 16_500), fs=RATE, output="sos")
            mix = scipy.signal.sosfilt(sections, mix)
        return (mix / np.abs(mix).max() * rng.uniform(0.3, 0.95)).astype(np.float32)

    def _time(self, bar: int, step: int) -> float:
        place = step / self._style.steps
        if self._style.swing and step % 2:
            place += self._style.swing / self._style.steps
        return self._at(bar, place)

    def _at(self, bar: int, place: float) -> float:
        """Return the instant of a place in a bar, in beats, as played: with jitter."""
        index = bar * self._style.beats + int(place)
        share = place - int(place)
        last = len(self._beats) - 1
        here, after = self._beats[min(index, last)], self._beats[min(index + 1, last)]
        return float(here + share * (after - here) + self._rng.normal(0, self._jitter))

    def _strike(self, drum: str, time: float, strength: float) -> None:
        start = round(time * RATE)
        if not 0 <= start < self._n_samples:
            return
        sound = self._kit.sounds[drum] * _LEVELS[drum] * strength * self._rng.uniform(0.9, 1)
        self._drums[start : start + len(sound)] += sound[: len(self._drums) - start]
        named = {"open": "hat", "crash": "hat"}.get(drum, drum)
        if named in self.hits:
            self.hits[named].append(start / RATE)

    def _note(self, time: float, pitch: int, length: float, level: float) -> None:
        start = round(time * RATE)
        if not 0 <= start < self._n_samples:
            return
        t = np.arange(round(min(length, 4.0) * RATE)) / RATE
        frequency = 440 * 2 ** ((pitch - 69) / 12)
        partials = [k for k in range(1, 12) if k * frequency < 9000]
        tone = sum(np.sin(2 * np.pi * k * frequency * t) / k**self._brightness for k in partials)
        shape = np.minimum(t / 0.008, 1) * np.exp(-t / 0.9) * np.minimum((t[-1] - t) / 0.02, 1)
        sound = level * np.asarray(tone) * shape
        self._backing[start : start + len(sound)] += sound[: len(self._backing) - start]
