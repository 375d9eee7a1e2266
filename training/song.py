"""Render a song of a style, and say exactly what is true of it."""

from dataclasses import dataclass, field
from enum import Enum

import numpy as np

from epiphane.types import FloatArray
from training.arrangement import Arrangement, Part, arrange
from training.band import Band
from training.coding import Coding, coded
from training.kit import RATE, Family
from training.mixing import mix_song
from training.styles import Style


class Timing(Enum):
    """Who keeps the time."""

    MACHINE = "machine"
    JITTER = "jitter"
    LIVE = "live"
    RAMP = "ramp"
    JUMP = "jump"
    RUBATO = "rubato"


@dataclass(frozen=True)
class Wish:
    """What a song must have; what is not wished for is left to chance."""

    timing: Timing | None = None
    is_silent_first: bool = False
    has_breakdown: bool = False
    is_dense: bool = False
    has_loud_lead: bool = False
    has_form: bool = False
    form: tuple[tuple[str, int], ...] = ()
    """Letters of parts, each with its bars, in place of a form by chance."""
    coding: Coding | None = None


@dataclass(frozen=True)
class RenderedSong:
    """A song and its truth.

    Attributes
    ----------
    sound : float32, shape (n_samples,), at `RATE`
    beats, downbeats : float64, seconds from the first sample, ascending
    hits : attack times in seconds, by drum: those of `training.kit.DRUMS`
    kit : int
        The number of the kit that was played, among those of its family.
    edges, drops : seconds
        Where sections begin (but the first), and where the whole band comes in after it was out.
    is_steady : bool
        Whether it was made to a machine's clock from beginning to end.
    """

    name: str
    sound: np.ndarray
    beats: FloatArray
    downbeats: FloatArray
    beats_per_bar: int
    is_steady: bool
    has_drums: bool
    kit: int
    edges: list[float] = field(default_factory=list)
    drops: list[float] = field(default_factory=list)
    hits: dict[str, list[float]] = field(default_factory=dict)

    @property
    def duration(self) -> float:
        """Seconds."""
        return len(self.sound) / RATE

    def drum(self, name: str) -> FloatArray:
        """Return the times of the low drum, the snare or the cymbals ("kick", "snare", "hat")."""
        played_on = {"snare": ("snare", "clap"), "hat": ("hat", "open", "ride", "crash")}.get(name, (name,))
        # A snare and a clap at once are one stroke.
        return np.unique(np.concatenate([np.array(self.hits[drum], float) for drum in played_on]))


def render_song(
    style: Style,
    seed: int,
    *,
    family: Family = Family.DEVELOPMENT,
    wish: Wish | None = None,
    seconds: float | None = None,
    is_sampled: bool = False,
) -> RenderedSong:
    """Return a song of a style; equal arguments give equal songs.

    Without `is_sampled` all sounds are synthesised here; with it kits and instruments come out of the
    packages that `training.sampled` names.
    """
    rng = np.random.default_rng(seed)
    wish = wish or Wish()
    timing = wish.timing or list(Timing)[rng.choice(len(Timing), p=[0.5, 0.08, 0.32, 0.05, 0.05, 0.0])]
    beats, jitter = _beat_times(rng, style, timing, is_silent_first=wish.is_silent_first)
    arrangement = arrange(rng, style, beats, wish.has_form, wish.has_breakdown, seconds, wish.form)
    band = Band(rng, style, arrangement, beats, jitter=jitter, family=family, is_sampled=is_sampled)
    band.play(has_loud_lead=wish.has_loud_lead or rng.random() < 0.2)
    sound = mix_song(rng, band, style, is_dense=wish.is_dense)
    if wish.coding is not None:
        sound = coded(sound, wish.coding)
    heard = beats[beats < arrangement.seconds - 0.05]
    firsts = beats[:: style.beats]
    edges, drops = _form(arrangement, beats, style)
    return RenderedSong(
        name=f"{style.name} {seed}",
        sound=sound,
        beats=heard,
        downbeats=firsts[firsts < arrangement.seconds - 0.05],
        beats_per_bar=style.beats,
        is_steady=timing in (Timing.MACHINE, Timing.JITTER),
        has_drums=bool(style.patterns),
        kit=band.kit_number,
        edges=edges,
        drops=drops,
        hits={name: sorted(times) for name, times in band.hits.items()},
    )


def _beat_times(
    rng: np.random.Generator, style: Style, timing: Timing, *, is_silent_first: bool
) -> tuple[FloatArray, float]:
    """Return more beats than any song needs, and the standard deviation of what is played around them."""
    tempo = rng.uniform(*style.tempo)
    if timing in (Timing.MACHINE, Timing.JUMP) and rng.random() < 0.7:
        tempo = float(round(tempo))
    start = (
        rng.uniform(1.5, 5.0) if is_silent_first else 0.0 if rng.random() < 0.5 else rng.uniform(0.05, 4.0)
    )
    depth, period, turn = rng.uniform(0.005, 0.05), rng.uniform(5, 25), rng.uniform(0, 6)
    ramp = 1 + rng.choice([-1, 1]) * rng.uniform(0.08, 0.2)
    jump_at, jump = rng.uniform(8, 16), rng.choice([rng.uniform(0.78, 0.92), rng.uniform(1.08, 1.28)])
    wander = np.random.default_rng(int(1000 * period)).normal(0, 0.03, 64)
    times = [start]
    while times[-1] < 130:
        at = times[-1] - start
        factor = {
            Timing.LIVE: 1 + depth * np.sin(at / period * 2 * np.pi + turn),
            Timing.RAMP: ramp ** min(at / 25, 1.2),
            Timing.RUBATO: 1 + 4 * depth * np.sin(at / period * 2 * np.pi + turn) + wander[len(times) % 64],
            Timing.JUMP: jump if at > jump_at and _is_after_bar(times, jump_at + start, style.beats) else 1.0,
        }.get(timing, 1.0)
        times.append(times[-1] + 60 / (tempo * factor))
    jitter = {
        Timing.JITTER: rng.uniform(0.003, 0.009),
        Timing.LIVE: rng.uniform(0.003, 0.013),
        Timing.RUBATO: 0.01,
    }.get(timing, 0.0)
    if timing is Timing.RAMP:
        jitter = rng.uniform(0.0, 0.006)
    return np.array(times), float(jitter)


def _is_after_bar(times: list[float], moment: float, n_beats: int) -> bool:
    """Whether a bar began between `moment` and the last of these beats."""
    n_before = sum(time < moment for time in times)
    return len(times) - 1 >= -(-n_before // n_beats) * n_beats


def _form(arrangement: Arrangement, beats: FloatArray, style: Style) -> tuple[list[float], list[float]]:
    edges: list[float] = []
    drops: list[float] = []
    before: Part | None = None
    for first_bar, part in arrangement.parts:
        start = float(beats[min(first_bar * style.beats, len(beats) - 1)])
        if before is not None and start < arrangement.seconds - 2:
            edges.append(start)
            if part.is_full and not before.has_drums:
                drops.append(start)
        before = part
    return edges, drops
