"""Who plays when: the parts of a song."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from epiphane.types import FloatArray
from training.styles import Style


@dataclass(frozen=True)
class Part:
    """Some bars in which the same people play the same things; equal letters are the same music."""

    n_bars: int
    letter: str
    has_drums: bool
    has_bass: bool
    has_lead: bool

    @property
    def is_full(self) -> bool:
        """Whether drums and bass both play."""
        return self.has_drums and self.has_bass


@dataclass(frozen=True)
class Arrangement:
    """Parts with the number of their first bar, and the length of the song in seconds."""

    parts: tuple[tuple[int, Part], ...]
    seconds: float

    def at(self, bar: int) -> tuple[Part, bool]:
        """Return the part of a bar, and whether the bar is the last of it."""
        first, part = [entry for entry in self.parts if entry[0] <= bar][-1]
        return part, bar == first + part.n_bars - 1


# Eight bars or four: pad alone or a beat without bass, and so on to the full band, out and in again.
_OPENINGS = (("P", "V"), ("D", "V"), ("P",), ())
_MIDDLES = (("V", "C"), ("C",), ("V", "C", "V"))
_BREAKS = (("P",), ("Q",), ("L",))
_ENDS = (("C", "V"), ("C", "B"), ("C",), ("C", "V", "C"))
PLAYERS = {
    #      drums, bass, lead
    "P": (False, False, True),
    "Q": (False, False, False),
    "L": (False, True, False),
    "D": (True, False, False),
    "V": (True, True, False),
    "C": (True, True, True),
    "B": (True, False, True),
}


def arrange(
    rng: np.random.Generator,
    style: Style,
    beats: FloatArray,
    has_form: bool,
    has_breakdown: bool,
    seconds: float | None,
    form: Sequence[tuple[str, int]] = (),
) -> Arrangement:
    """Return the parts of a song: what is wanted, a whole form, or what is left of one in half a minute."""
    if form:
        return _arranged(form, style, beats)
    if has_form:
        letters = [letter for group in (_OPENINGS, _MIDDLES, _BREAKS, _ENDS) for letter in _one(rng, group)]
        bar = style.beats * float(beats[1] - beats[0])
        n_bars = 8 if bar * 8 * len(letters) < 110 else 4
    else:
        n_bars = int(rng.choice([4, 8])) if style.beats < 6 else 4
        letters = _excerpt(rng, has_breakdown=has_breakdown)
    whole = _arranged([(letter, n_bars) for letter in letters], style, beats)
    if has_form:
        return whole
    return Arrangement(whole.parts, rng.uniform(20, 30) if seconds is None else seconds)


def _arranged(form: Iterable[tuple[str, int]], style: Style, beats: FloatArray) -> Arrangement:
    """Return the parts of a form, one after the other, and a second more than they last."""
    parts: list[tuple[int, Part]] = []
    first = 0
    for letter, n_bars in form:
        drums, bass, lead = PLAYERS[letter]
        parts.append((first, Part(n_bars, letter, drums and bool(style.patterns), bass, lead)))
        first += n_bars
    return Arrangement(tuple(parts), float(beats[min(first * style.beats, len(beats) - 1)]) + 1.0)


def _excerpt(rng: np.random.Generator, *, has_breakdown: bool) -> list[str]:
    letters = ["V", "C"] * 20
    if rng.random() < 0.35:
        letters.insert(0, str(rng.choice(["P", "L", "D"])))
    if has_breakdown or rng.random() < 0.25:
        letters[1 + int(rng.integers(2))] = str(rng.choice(["P", "Q", "L"]))
    return letters


def _one(rng: np.random.Generator, options: tuple[tuple[str, ...], ...]) -> tuple[str, ...]:
    return options[int(rng.integers(len(options)))]
