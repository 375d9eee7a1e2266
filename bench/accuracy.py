"""How right the beats are, on songs rendered in code whose truth is exact (scores of mir_eval)."""

from collections.abc import Iterator
from pathlib import Path
from statistics import mean

import mir_eval
import numpy as np

from bench.result import Result
from epiphane.audio.heard import Listening
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples
from training.kit import RATE
from training.song import RenderedSong, render_song
from training.styles import VALIDATION, Style

_SONGS_PER_STYLE = 4
_FIRST_SEED = 90_000
_WINDOWS = (0.07, 0.017)


def measure_accuracy(folder: Path) -> Iterator[Result]:
    """Listen to songs of the validation styles; nobody tunes to these seeds."""
    totals: list[tuple[float, ...]] = []
    for number, style in enumerate(VALIDATION):
        scores = [_score(style, _FIRST_SEED + 100 * number + k) for k in range(_SONGS_PER_STYLE)]
        totals += scores
        yield Result(f"  {style.name}: beats 70 ms, 17 ms, downbeats, clock told", _figures(scores))
    what = "beats F within 70 ms, 17 ms; downbeats; clock told right"
    yield Result(f"{len(totals)} songs, {what}", _figures(totals))


def _figures(scores: list[tuple[float, ...]]) -> str:
    return "  ".join(f"{mean(column):.2f}" for column in zip(*scores, strict=True))


def _score(style: Style, seed: int) -> tuple[float, ...]:
    song = render_song(style, seed)
    found = listen(Samples(song.sound[:, None], RATE))
    return (*_beat_scores(song, found), float(found.is_steady == song.is_steady))


def _beat_scores(song: RenderedSong, found: Listening) -> list[float]:
    beats = np.array([beat.time for beat in found.beats])
    downbeats = np.array([beat.time for beat in found.beats if beat.place == 1])
    scores = [_f_measure(song.beats, beats, window) for window in _WINDOWS]
    return [*scores, _f_measure(song.downbeats, downbeats, _WINDOWS[0])]


def _f_measure(truth: np.ndarray, found: np.ndarray, window: float) -> float:
    if len(found) == 0:
        return 0.0
    return float(mir_eval.beat.f_measure(truth, found, f_measure_threshold=window))
