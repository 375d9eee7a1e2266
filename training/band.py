"""Everybody who plays: drums, bass, chords and a lead."""

from collections.abc import Sequence
from functools import cache
from typing import TypeVar

import numpy as np
import scipy.signal
import soxr

from epiphane.types import FloatArray
from training.arrangement import Arrangement, Part
from training.kit import DRUMS, RATE, Drum, Family, Kit, make_kit
from training.sampled import INSTRUMENTS, Note, fonts_of, load_kits, play_notes
from training.styles import Pattern, Style

_Option = TypeVar("_Option")

_STRENGTHS = {"x": 1.0, "o": 0.72, ".": 0.4}
_PROGRESSIONS = ((0, 9, 5, 7), (0, 5, 7, 5), (9, 5, 0, 7), (0, 3, 8, 10), (0, 0, 5, 7), (0, 7, 9, 5))
_STAND_INS = {"ride": "hat", "crash": "hat", "open": "hat", "tom": "snare", "perc": "snare", "clap": "snare"}
_BASS, _CHORDS, _LEAD = 0, 1, 2
_LOUD = 0.6


class Band:
    """Plays a song; what is struck is noted in `hits`, in seconds, by drum."""

    def __init__(
        self,
        rng: np.random.Generator,
        style: Style,
        arrangement: Arrangement,
        beats: FloatArray,
        *,
        jitter: float,
        family: Family,
        is_sampled: bool,
    ) -> None:
        self.hits: dict[str, list[float]] = {name: [] for name in DRUMS}
        self.first_sound = max(0.0, float(beats[0]) - 0.03)
        self._rng, self._style, self._arrangement = rng, style, arrangement
        self._beats, self._jitter, self._is_sampled = beats, jitter, is_sampled
        self._seconds = arrangement.seconds
        self._n_samples = round(arrangement.seconds * RATE)
        self._drums = np.zeros(self._n_samples + 2 * RATE)
        self._notes: list[Note] = []
        self._kit = _Drumset(rng, family, style, is_sampled=is_sampled)
        self._swing = style.swing * rng.uniform(0.1, 0.5) if style.swing else self._chance_swing()
        self._patterns = [self._varied(self._any(style.patterns)) for _ in range(2)] if style.patterns else []
        self._choose_harmony()
        self._choose_instruments(family)

    @property
    def kit_number(self) -> int:
        """The number of its kit among those of the family."""
        return self._kit.number

    @property
    def drums(self) -> FloatArray:
        """The drums alone, float64."""
        return self._drums[: self._n_samples]

    def play(self, *, has_loud_lead: bool) -> None:
        """Play the song from its first bar to its end."""
        n_bars = min(
            (len(self._beats) - 2) // self._style.beats, sum(p.n_bars for _, p in self._arrangement.parts)
        )
        rhythms = [self._lead_rhythm() for _ in range(2)]
        for bar in range(n_bars):
            if self._at(bar, 0.0) > self._seconds:
                break
            part, is_last = self._arrangement.at(bar)
            if part.has_drums:
                self._play_drums(bar, part, is_last=is_last, is_first=self._is_first(bar, part))
            if part.has_bass and self._has_bass:
                self._play_bass(bar)
            self._play_chords(bar, part)
            if part.has_lead:
                self._play_lead(bar, rhythms[part.letter == "C"], velocity=118 if has_loud_lead else 90)

    def backing(self) -> FloatArray:
        """Return everybody but the drums, float64."""
        if not self._notes:
            return np.zeros(self._n_samples)
        if self._is_sampled and self._wave == "sampled":
            return play_notes(self._notes, self._programs, self._seconds, font=self._font)
        wave = "partials" if self._wave == "sampled" else self._wave
        return _synthesised(self._notes, self._n_samples, wave=wave, brightness=self._brightness)

    # What is chosen once for a song

    def _any(self, options: Sequence[_Option]) -> _Option:
        return options[int(self._rng.integers(len(options)))]

    def _chance_swing(self) -> float:
        is_swung = self._style.steps == 4 and self._rng.random() < 0.18
        return self._rng.uniform(0.1, 0.35) if is_swung else 0.0

    def _varied(self, pattern: Pattern) -> Pattern:
        """Return a pattern with a stroke more or less here and there; dance music stays as written."""
        if self._style.is_dance or "x" not in pattern.kick:
            return pattern
        more, less = self._rng.uniform(0, 0.08), self._rng.uniform(0, 0.06)
        kick = list(pattern.kick)
        for step in range(1, len(kick)):
            if kick[step] == "-" and self._rng.random() < more:
                kick[step] = "o"
            elif kick[step] != "-" and self._rng.random() < less:
                kick[step] = "-"
        snare = list(pattern.snare)
        ghosts = self._rng.uniform(0, 0.05)
        for step, mark in enumerate(snare):
            if mark == "-" and self._rng.random() < ghosts:
                snare[step] = "."
        return pattern._replace(kick="".join(kick), snare="".join(snare))

    def _choose_harmony(self) -> None:
        rng = self._rng
        self._key = int(rng.integers(-5, 6))
        self._is_minor = rng.random() < 0.4
        self._progressions = [self._any(_PROGRESSIONS) for _ in range(2)]
        # Bars for which a chord stays.
        self._chord_bars = (
            int(rng.choice([1, 2])) if self._style.beats == 2 else int(rng.choice([1, 1, 1, 2]))
        )

    def _choose_instruments(self, family: Family) -> None:
        rng, style, choice = self._rng, self._style, INSTRUMENTS[family]
        self._bass_line = self._any(style.bass)
        self._chord_lines = [self._any(style.chords) for _ in range(2)]
        self._has_bass = rng.random() < 0.94
        chords = choice.distorted if style.is_distorted else choice.chords
        if "arpeggio" in str(self._chord_lines[0]):
            chords = choice.plucked
        programs = style.programs or tuple(map(self._any, (choice.basses, chords, choice.leads)))
        self._programs = dict(zip((_BASS, _CHORDS, _LEAD), programs, strict=True))
        self._font = fonts_of(family)[int(rng.random() > 0.7)]
        # Some bands are a sound chip or a synthesiser throughout.
        wave = str(rng.choice(["sampled", "pulse", "saw", "triangle"], p=[0.82, 0.07, 0.07, 0.04]))
        self._wave = style.wave or ("sampled" if style.programs else wave)
        self._brightness = rng.uniform(1.0, 2.2)

    def _lead_rhythm(self) -> list[float]:
        unit = 1 / 3 if self._style.steps in (3, 6) else 0.5
        density = self._rng.choice([0.3, 0.5, 0.7])
        places = np.arange(0, self._style.beats, unit)
        return [float(place) for place in places if self._rng.random() < density]

    # Playing

    def _is_first(self, bar: int, part: Part) -> bool:
        return bar == 0 or self._arrangement.at(bar - 1)[0] is not part

    def _play_drums(self, bar: int, part: Part, *, is_last: bool, is_first: bool) -> None:
        style, rng = self._style, self._rng
        pattern = self._patterns[part.letter == "C"]
        n_steps = style.beats * style.steps
        is_fill = is_last and not style.is_dance and rng.random() < 0.7
        fill_from = int(n_steps * rng.choice([0.5, 0.75, 0.75])) if is_fill else n_steps
        for step in range(n_steps):
            if step >= fill_from:
                self._fill(bar, step)
                continue
            for drum, marks in (
                ("kick", pattern.kick),
                ("snare", pattern.snare),
                (pattern.cymbal, pattern.hat),
            ):
                if marks[step] != "-":
                    soft = drum == "open" and marks[step] == "o"
                    self._strike(
                        "hat" if soft else drum, bar, step, _STRENGTHS[marks[step]] * rng.uniform(0.88, 1)
                    )
            if style.has_toms and step % 2 == 0 and rng.random() < 0.5:
                self._strike(str(rng.choice(["tom", "perc"])), bar, step, rng.uniform(0.5, 1))
            if style.percussion and style.percussion[step] != "-":
                self._strike("perc", bar, step, _STRENGTHS[style.percussion[step]] * rng.uniform(0.85, 1))
        if is_first and bar > 0 and rng.random() < 0.7:
            self._strike("crash", bar, 0, rng.uniform(0.7, 1))

    def _fill(self, bar: int, step: int) -> None:
        if self._rng.random() < 0.75:
            drum = str(self._rng.choice(["tom", "tom", "snare"]))
            self._strike(drum, bar, step, self._rng.uniform(0.6, 1))
        if self._rng.random() < 0.3:
            self._strike("kick", bar, step, 0.9)

    def _strike(self, drum: str, bar: int, step: int, strength: float) -> None:
        place = step / self._style.steps
        if self._swing and self._style.steps == 4 and step % 2:
            place += self._swing / self._style.steps
        time = self._at(bar, place) + self._jittered()
        first = round(time * RATE)
        if not 0 <= time < self._seconds - 0.06:
            return
        found = self._kit.drum(drum)
        if found is None:
            return
        struck = [found]
        if found[0] == "snare" and strength > _LOUD and self._kit.has_clap_on_snare:
            struck.append(self._kit.drum("clap") or found)
        for name, sound in struck:
            shot = sound.struck(strength)[: len(self._drums) - first]
            self._drums[first : first + len(shot)] += shot * self._kit.gains[name] * strength**1.5
            self.hits[name].append(first / RATE)

    def _play_bass(self, bar: int) -> None:
        beats = self._style.beats
        is_triple = self._style.steps in (3, 6)
        third = 1 / 3 if is_triple else 1 / 2
        root = 36 + self._key + self._chord(bar)[0] - (12 if self._chord(bar)[0] > 6 else 0)
        lines: dict[str, list[tuple[float, int, float]]] = {  # place, interval, length in beats
            "none": [],
            "long": [(0.0, 0, beats * 0.95)],
            "quarter": [(k, 7 if k % 2 and beats in (2, 4) else 0, 0.9) for k in range(beats)],
            "walk": [(k, int(self._rng.choice([0, 2, 4, 5, 7, 9])) if k else 0, 0.9) for k in range(beats)],
            "eighth": [(k * third, 0, 0.4) for k in range(round(beats / third))],
            "octave": [(k / 2, 12 * (k % 2), 0.4) for k in range(2 * beats)],
            "off": [(k + 0.5, 0, 0.42) for k in range(beats)],
            "off and root": [(0.0, 0, 0.3), *((k + 0.5, 0, 0.42) for k in range(beats))],
            "roll": [(k + share, 0, 0.2) for k in range(beats) for share in (0.25, 0.5, 0.75)],
            "gallop": [(k + share, 0, 0.22) for k in range(beats) for share in (0, 0.5, 0.75)],
            "triplet": [(k + share, 7 * (share > 0), 0.3) for k in range(beats) for share in (0, 2 / 3)],
            "two parts": [(0.0, 0, 2.5), (3.0 if beats == 5 else 4.0, 7, 1.5)],
            "syncopated": [
                (place, int(self._rng.choice([0, 0, 7, 12])), 0.5)
                for place in ((0, 2 / 3, 2, 8 / 3) if is_triple else (0, 0.75, 1.5, 2.5, 3.25))
                if place < beats
            ],
        }
        for place, interval, length in lines[str(self._bass_line)]:
            self._note(_BASS, bar, place, root + interval, length, 100)

    def _play_chords(self, bar: int, part: Part) -> None:
        line = str(self._chord_lines[part.letter == "C"])
        chord = self._chord(bar)
        pitches = [60 + self._key + step - (12 if chord[0] > 7 else 0) for step in chord]
        if self._style.is_distorted:
            pitches = [pitches[0] - 12, pitches[2] - 12]
        if line.startswith("arpeggio"):
            self._play_arpeggio(bar, pitches, is_fast=line.endswith("16"))
            return
        for place, length, velocity in self._chord_places(line, bar):
            for pitch in pitches:
                self._note(_CHORDS, bar, place, pitch, length, velocity)

    def _play_arpeggio(self, bar: int, pitches: list[int], *, is_fast: bool) -> None:
        is_triple = self._style.steps in (3, 6)
        unit = 1 / 3 if is_triple else 0.25 if is_fast else 0.5
        order = pitches[:3] if is_triple else [*pitches, pitches[0] + 12]
        for number in range(round(self._style.beats / unit)):
            velocity = 95 if number == 0 else 80
            self._note(_CHORDS, bar, number * unit, order[number % len(order)], 0.9, velocity)

    def _chord_places(self, line: str, bar: int) -> list[tuple[float, float, int]]:
        """Return place and length in beats, and velocity, of the chords of a bar."""
        beats, rng = self._style.beats, self._rng
        is_triple = self._style.steps in (3, 6)
        unit = 1 / 3 if is_triple else 0.5
        strum = (0, 2 / 3, 1, 5 / 3, 2, 8 / 3, 3, 11 / 3) if is_triple else (0, 1, 1.5, 2.5, 3, 3.5, 4, 5, 6)
        if line == "long":
            is_new = bar % self._chord_bars == 0
            return [(0.0, beats * self._chord_bars * 0.97, 85)] if is_new else []
        if line == "comping":
            swung = ((0, 5 / 3), (2 / 3, 2), (5 / 3, 11 / 3), (0, 8 / 3))[int(rng.integers(4))]
            return [(place, 0.4, 85) for place in swung if place < beats]
        places: dict[str, list[tuple[float, float, int]]] = {
            "none": [],
            "chug": [(k * unit, 0.4, 100 if k == 0 else 85) for k in range(round(beats / unit))],
            "chug 16": [(k / 4, 0.2, 100 if k == 0 else 85) for k in range(4 * beats) if rng.random() < 0.85],
            "strum": [(place, 0.45, 90 if place % 1 == 0 else 75) for place in strum if place < beats],
            "off": [(k + (2 / 3 if is_triple else 0.5), 0.3, 90) for k in range(beats)],
            "stab": [(place, 0.3, 90) for place in (0, 0.75, 1.5, 2.5, 3.5) if place < beats],
            "stabs": [
                (k / 4, 0.15, int(rng.integers(55, 100))) for k in range(4 * beats) if rng.random() < 0.45
            ],
            "after beats": [(float(k), 0.4, 80) for k in range(1, beats)],
            "block": [
                (float(k), 0.9, 95 if k == 0 else 85) for k in range(beats) if k == 0 or rng.random() < 0.7
            ],
            "two parts": [(0.0, 2.8, 90), (3.0 if beats == 5 else 4.0, 1.8, 80)],
        }
        return places[line]

    def _play_lead(self, bar: int, rhythm: list[float], *, velocity: int) -> None:
        for place in rhythm:
            step = int(self._rng.choice(self._chord(bar))) + int(self._rng.choice([0, 0, 12, 2]))
            length = float(self._rng.choice([0.3, 0.5, 0.9, 1.5]))
            self._note(
                _LEAD, bar, place, 72 + self._key + step, length, velocity + int(self._rng.normal(0, 6))
            )

    def _note(self, part: int, bar: int, place: float, pitch: int, length: float, velocity: int) -> None:
        start = self._at(bar, place) + self._jittered()
        if 0 <= start < self._seconds - 0.03:
            beat = float(self._beats[1] - self._beats[0])
            loud = int(np.clip(velocity, 5, 127))
            self._notes.append(Note(part, start, length * beat, int(np.clip(pitch, 12, 110)), loud))

    def _chord(self, bar: int) -> tuple[int, int, int]:
        progression = self._progressions[(bar // 4) % 2]
        root = progression[(bar // self._chord_bars) % 4]
        third = 3 if self._is_minor != (root in (9, 2, 4)) else 4
        return root, root + third, root + 7

    def _at(self, bar: int, place: float) -> float:
        """Return the instant of a place in a bar, in beats."""
        index = bar * self._style.beats + int(place)
        last = len(self._beats) - 1
        here, after = self._beats[min(index, last)], self._beats[min(index + 1, last)]
        return float(here + (place - int(place)) * (after - here))

    def _jittered(self) -> float:
        return float(self._rng.normal(0, self._jitter)) if self._jitter else 0.0


class _Drumset:
    """The drums of one song: one of each name, at a chance level."""

    def __init__(self, rng: np.random.Generator, family: Family, style: Style, *, is_sampled: bool) -> None:
        kits = load_kits(family) if is_sampled else _synthesised_kits(family)
        self.number = int(rng.integers(len(kits)))
        kit = kits[self.number]
        other = kits[int(rng.integers(len(kits)))]
        is_mixed = family is Family.DEVELOPMENT and rng.random() < 0.4
        self._drums: dict[str, Drum] = {}
        for name in sorted(kit.drums):
            source = other if is_mixed and rng.random() < 0.5 and name in other.drums else kit
            options = source.drums[name]
            drum = options[int(rng.integers(len(options)))]
            self._drums[name] = _altered(rng, drum) if is_mixed else drum
        has_clap = "clap" in self._drums
        self._has_clap_for_snare = has_clap and rng.random() < (0.35 if style.is_dance else 0.08)
        self.has_clap_on_snare = has_clap and rng.random() < 0.1
        ranges = {"kick": (0.7, 1.1), "snare": (0.5, 0.95), "clap": (0.5, 0.95), "hat": (0.12, 0.4)}
        ranges |= {
            "open": (0.12, 0.4),
            "ride": (0.12, 0.35),
            "crash": (0.25, 0.5),
            "tom": (0.5, 0.8),
            "perc": (0.2, 0.6),
        }
        self.gains = {name: rng.uniform(*levels) for name, levels in ranges.items()}

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


@cache
def _synthesised_kits(family: Family) -> tuple[Kit, ...]:
    first = 500 if family is Family.DEVELOPMENT else 700
    return tuple(make_kit(np.random.default_rng(first + n), family) for n in range(6))


def _synthesised(notes: list[Note], n_samples: int, *, wave: str, brightness: float) -> FloatArray:
    """Return notes as sums of partials, or as the wave of a synthesiser."""
    levels = {_BASS: 0.5, _CHORDS: 0.16, _LEAD: 0.22}
    sound = np.zeros(n_samples + 5 * RATE)
    for note in notes:
        t = np.arange(round(min(max(note.length, 0.06), 4.0) * RATE)) / RATE
        frequency = 440 * 2 ** ((note.pitch - 69) / 12)
        tone = _tone(wave, frequency, t, brightness)
        shape = np.minimum(t / 0.008, 1) * np.exp(-t / 0.9) * np.minimum((t[-1] - t) / 0.02, 1)
        first = round(note.start * RATE)
        sound[first : first + len(t)] += levels[note.part] * note.velocity / 100 * tone * shape
    return sound[:n_samples]


def _tone(wave: str, frequency: float, t: FloatArray, brightness: float) -> FloatArray:
    """Return a tone; all but pulses have partials under 9 kHz only."""
    if wave == "pulse":
        return np.where(frequency * t % 1 < 0.5 / brightness, 0.6, -0.6)
    partials = [k for k in range(1, 12 if wave == "partials" else 40) if k * frequency < 9000]
    if wave == "triangle":
        partials = partials[::2]
    fall = {"partials": brightness, "saw": 1.0, "triangle": 2.0}[wave]
    return np.asarray(np.sum([np.sin(2 * np.pi * k * frequency * t) / k**fall for k in partials], axis=0))
