"""How well parts and drops are found: made songs of known form, of seeds that nothing was tried on."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from benchmarks.result import Result, at_least, at_most
from epiphane.audio.heard import Listening
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples
from training.forms import N_FORMS, FormedSong, Mark, formed_song
from training.kit import RATE, Family
from training.sampled import load_kits

_FIRST_SEEDS = (41_000_000, 42_000_000)
_NEAR_SECONDS, _CLOSE_SECONDS = 2.0, 0.5
_LEVEL_STEP = 0.5


@dataclass(frozen=True)
class _Score:
    """What one song scored: counts are right, missed, false."""

    edges: tuple[int, int, int]
    near_edges: tuple[int, int, int]
    drops: tuple[int, int, int]
    level: float
    n_parts: int
    minutes: float


def measure_form(folder: Path) -> Iterator[Result]:
    """Listen to made songs, and compare their parts and drops with what they are made of."""
    del folder
    load_kits(Family.DEVELOPMENT)  # before the processes part, so that each has them
    with ProcessPoolExecutor(2, mp_context=get_context("fork")) as pool:
        scores = [
            score for seed in _FIRST_SEEDS for score in pool.map(partial(_score, seed=seed), range(N_FORMS))
        ]
    yield Result("made songs of known form", str(len(scores)))
    yield at_least("part edges F within 0.5 s", f_measure([one.edges for one in scores]), 0.90, "")
    yield Result("part edges F within 2 s", f"{f_measure([one.near_edges for one in scores]):.2f}")
    yield at_least("drops F", f_measure([one.drops for one in scores]), 0.90, "")
    yield Result("full or less told right", f"{np.mean([one.level for one in scores]):.3f}")
    n_parts, minutes = sum(one.n_parts for one in scores), sum(one.minutes for one in scores)
    yield at_most("parts a minute", n_parts / minutes, 3.0, "")


def _score(number: int, *, seed: int) -> _Score:
    made = formed_song(number, seed)
    found = listen(Samples(made.song.sound[:, None], RATE))
    edges = [section.start for section in found.sections[1:]]
    return _Score(
        matched(made.edges, edges, _CLOSE_SECONDS),
        matched(made.edges, edges, _NEAR_SECONDS),
        matched(made.drops, found.drops, _CLOSE_SECONDS),
        level_share(made, found),
        len(found.sections),
        made.song.duration / 60,
    )


def matched(truth: Sequence[Mark], found: Sequence[float], tolerance: float) -> tuple[int, int, int]:
    """Return how many marks are right, missed and false; what lies beside one that is not sure is neither."""
    used: set[int] = set()
    sure = [mark.time for mark in truth if mark.is_sure]
    for time in sure:
        near = [(abs(one - time), n) for n, one in enumerate(found) if n not in used]
        if near and min(near)[0] <= tolerance:
            used.add(min(near)[1])
    n_false = sum(
        n not in used and all(abs(one - mark.time) > tolerance for mark in truth)
        for n, one in enumerate(found)
    )
    return len(used), len(sure) - len(used), n_false


def f_measure(counts: Sequence[tuple[int, int, int]]) -> float:
    """Return the F measure of summed counts of right, missed and false."""
    right, missed, false = (sum(column) for column in zip(*counts, strict=True))
    return float(2 * right / max(1, 2 * right + missed + false))


def level_share(made: FormedSong, found: Listening) -> float:
    """Return the share of a song in which full, or less, is told right."""
    right = []
    for time in np.arange(0, made.song.duration - 1.5, _LEVEL_STEP):
        is_full = [full for start, full in made.levels if start <= time][-1]
        said = [section.kind for section in found.sections if section.start <= time + 1e-6]
        if is_full is not None:
            right.append(is_full == (bool(said) and said[-1] == "full"))
    return float(np.mean(right))
