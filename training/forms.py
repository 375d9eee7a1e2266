"""Songs of known form, to tell how well parts and drops are found; nothing is learned from them."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
import scipy.signal

from epiphane.types import Float32Array
from training.arrangement import PLAYERS
from training.invention import invent_style
from training.kit import RATE, Family
from training.song import RenderedSong, Timing, Wish, render_song
from training.styles import DEVELOPMENT, Style

_FORMS = (
    "P8 V16 P8 C16 V8",
    "D8 V16 Q8 C16 P4",
    "P8 C16 L8 C16 L4",
    "V16 P8 V16 C8",
    "P4 D8 V16 C16 P8 C16",
    "C16 Q4 C16 P8 C16",
    "L8 V8 C16 P16 C16",
    "P8 V8 C8 P8 V8 C8 P4",
    "V32",
    "P16 C24 L8",
    "V8 C8 P4 V8 C8 P8 C16",
    "Q8 D8 C16 Q8 D4 C16",
)
N_FORMS = len(_FORMS)


@dataclass(frozen=True)
class Mark:
    """A place in a song, in seconds; one that is not sure may be found or not."""

    time: float
    is_sure: bool


@dataclass(frozen=True)
class FormedSong:
    """A song and the form that it has.

    Attributes
    ----------
    edges : where parts begin but the first; where only the lead comes or goes is not sure
    drops : where all come in; out of a part with drums is not sure
    levels : where parts begin, seconds, and whether they are full; None for drums without bass
    """

    song: RenderedSong
    edges: tuple[Mark, ...]
    drops: tuple[Mark, ...]
    levels: tuple[tuple[float, bool | None], ...]


def formed_songs(first_seed: int) -> Iterator[FormedSong]:
    """Yield a song of each form; every second one has risers and rolls before its drops."""
    for number in range(N_FORMS):
        yield formed_song(number, first_seed)


def formed_song(number: int, first_seed: int) -> FormedSong:
    """Return the song of a form by its number; equal seeds give equal songs."""
    seed = first_seed + number
    rng = np.random.default_rng(seed)
    style = _style(rng, f"form {number}")
    if number % 3 == 0:
        common = [one for one in DEVELOPMENT if one.patterns and one.beats == 4]
        style = common[seed % len(common)]
    form = tuple((word[0], int(word[1:])) for word in _FORMS[number].split())
    wish = Wish(timing=Timing.MACHINE if seed % 4 else Timing.LIVE, form=form)
    song = render_song(style, seed, family=Family.DEVELOPMENT, wish=wish, is_sampled=True)
    return _marked(song, form, seed, has_builds=number % 2 == 1)


def _style(rng: np.random.Generator, name: str) -> Style:
    while True:
        style = invent_style(rng, name)
        if style.patterns and style.beats in (3, 4, 6):
            return style


def _marked(
    song: RenderedSong, form: tuple[tuple[str, int], ...], seed: int, *, has_builds: bool
) -> FormedSong:
    rng, sound = np.random.default_rng(seed + 5), song.sound.copy()
    edges: list[Mark] = []
    drops: list[Mark] = []
    levels: list[tuple[float, bool | None]] = []
    before, bar = "", 0

    def at(number: int) -> float:
        return float(song.downbeats[min(number, len(song.downbeats) - 1)])

    for number, (letter, n_bars) in enumerate(form):
        if bar >= len(song.downbeats) - 1:
            break
        drums, bass, _ = PLAYERS[letter]
        start = at(bar)
        levels.append((start if number else 0.0, None if letter in "DB" else drums and bass))
        if before:
            had_drums, had_bass, _ = PLAYERS[before]
            comes_in = drums and bass and not (had_drums and had_bass)
            edges.append(Mark(start, (had_drums, had_bass) != (drums, bass)))
            if comes_in:
                drops.append(Mark(start, not had_drums))
            if has_builds and drums and bass and not had_drums and start - at(bar - 2) > 1.5:
                n_built = min(4, form[number - 1][1] // 2)
                _add_build(rng, sound, [at(one) for one in range(bar - n_built, bar + 1)], song.beats_per_bar)
                edges.append(Mark(at(bar - n_built), False))
        before, bar = letter, bar + n_bars
    sound /= max(1.0, float(np.abs(sound).max()) / 0.95)
    return FormedSong(
        replace(song, sound=sound.astype(np.float32)), tuple(edges), tuple(drops), tuple(levels)
    )


def _add_build(rng: np.random.Generator, sound: Float32Array, bars: list[float], n_beats: int) -> None:
    """Add a riser over some bars and a roll that gets quicker."""
    first, end = round(bars[0] * RATE), round(bars[-1] * RATE)
    grows = np.exp(3 * (np.arange(end - first) / (end - first) - 1)) * 0.25
    bands = scipy.signal.butter(2, [1500, 9000], "band", fs=RATE, output="sos")
    added = scipy.signal.sosfilt(bands, rng.normal(size=end - first)) * grows
    n_bars = len(bars) - 1
    for bar in range(n_bars):
        n_strokes = n_beats * (1 if bar < n_bars // 2 else 2 if bar < n_bars - 1 else 4)
        for stroke in range(n_strokes):
            time = bars[bar] + (bars[bar + 1] - bars[bar]) * stroke / n_strokes
            place = round(time * RATE) - first
            length = min(3000, end - first - place)
            if length > 0:
                hit = rng.normal(size=length) * np.exp(-np.arange(length) / 700)
                added[place : place + length] += hit * (0.1 + 0.15 * (bar + stroke / n_strokes) / n_bars)
    sound[first:end] += np.float32(added * np.abs(sound).max() * 0.8)
