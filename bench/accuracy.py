"""How right listening is, on songs rendered in code whose truth is exact, beside librosa in the same run."""

import warnings
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from statistics import mean, median

import mir_eval
import numpy as np

from bench.result import Result, at_least, at_most
from epiphane.audio.heard import Listening
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples
from epiphane.document.model import DRUMS
from training.kit import RATE
from training.library import Order, validation_orders
from training.sampled import load_kits
from training.scores import beat_f, onset_f
from training.song import RenderedSong

_FINE_SECONDS = 0.017
_FEWEST_HITS = 5
_EDGE_SECONDS = 0.5
_LEAST_AIMS = {
    "beats F within 70 ms": 0.95,
    "beats F within 17 ms": 0.93,
    "downbeats F": 0.92,
    "metre right": 0.95,
    "clock told right": 1.0,
    "kick F": 0.90,
    "snare F": 0.80,
    "hat F": 0.87,
    "section edges F within 0.5 s": 0.80,
    "drop right": 0.85,
}
_MOST_AIMS = {
    "false kick a minute without drums": (3.0, ""),
    "false snare a minute without drums": (3.0, ""),
    "false hat a minute without drums": (3.0, ""),
    "beats off by, median": (3.0, "ms"),
    "hits off by, median": (3.0, "ms"),
}


@dataclass
class Score:
    """What one song scored; what does not apply to it is left out."""

    style: str
    figures: dict[str, float] = field(default_factory=dict)


def measure_accuracy(folder: Path) -> Iterator[Result]:
    """Listen to the validation songs: kits, styles and seeds that nothing was learned from."""
    del folder
    scores = score_songs(validation_orders())
    for style in dict.fromkeys(score.style for score in scores):
        rows = [score for score in scores if score.style == style]
        names = ("beats F within 70 ms", "downbeats F", "kick F", "snare F", "hat F")
        yield Result(
            f"  {style}: beats, downbeats, kick, snare, hat", " ".join(_short(rows, name) for name in names)
        )
    yield Result("validation songs", str(len(scores)))
    for name, aim in _LEAST_AIMS.items():
        yield at_least(name, mean(_values(scores, name)), aim, "")
    for name, (most, unit) in _MOST_AIMS.items():
        values = _values(scores, name)
        yield at_most(name, median(values) if unit else mean(values), most, unit)
    for name in (
        "librosa: beats F within 70 ms",
        "librosa: beats F within 17 ms",
        "sure beats that are right",
    ):
        yield Result(name, f"{mean(_values(scores, name)):.2f}")


def score_songs(orders: Sequence[Order]) -> list[Score]:
    """Render songs, listen to them and compare, two at a time."""
    for family in {order.family for order in orders}:
        load_kits(family)  # before the processes part, so that each has them
    _librosa_beats(np.zeros(RATE, np.float32))  # compiled and cached by one process: two would spoil it
    with ProcessPoolExecutor(2, mp_context=get_context("fork")) as pool:
        return list(pool.map(_score, orders))


def _score(order: Order) -> Score:
    song = order.render()
    found = listen(Samples(song.sound[:, None], RATE))
    score = Score(order.style.name)
    score.figures |= _beat_figures(song, found)
    score.figures |= _drum_figures(song, found)
    score.figures |= _form_figures(song, found)
    score.figures |= _librosa_figures(song)
    return score


def _beat_figures(song: RenderedSong, found: Listening) -> dict[str, float]:
    beats = np.array([beat.time for beat in found.beats])
    downbeats = np.array([beat.time for beat in found.beats if beat.place == 1])
    figures = {
        "beats F within 70 ms": beat_f(song.beats, beats),
        "beats F within 17 ms": beat_f(song.beats, beats, _FINE_SECONDS),
        "downbeats F": beat_f(song.downbeats, downbeats),
        "metre right": float(found.beats_per_bar == song.beats_per_bar),
        "clock told right": float(found.is_steady == song.is_steady),
    }
    off = _distances(song.beats, beats, 0.05)
    if len(off):
        figures["beats off by, median"] = 1000 * float(np.median(off))
    sure = np.array([beat.time for beat in found.beats if beat.sureness > 0.5])
    if len(sure):
        figures["sure beats that are right"] = len(_distances(sure, song.beats, 0.07)) / len(sure)
    return figures


def _drum_figures(song: RenderedSong, found: Listening) -> dict[str, float]:
    figures: dict[str, float] = {}
    off = []
    for name in DRUMS:
        times = np.array([hit.time for hit in found.drums.hits(name)])
        truth = song.drum(name)
        if len(truth) >= _FEWEST_HITS:
            figures[f"{name} F"] = onset_f(truth, times)
            off.append(_distances(truth, times, 0.05))
        elif not song.has_drums:
            figures[f"false {name} a minute without drums"] = 60 * len(times) / song.duration
    if off and len(np.concatenate(off)):
        figures["hits off by, median"] = 1000 * float(np.median(np.concatenate(off)))
    return figures


def _form_figures(song: RenderedSong, found: Listening) -> dict[str, float]:
    """Return scores of sections where the song has a whole form."""
    if len(song.edges) < 4:
        return {}
    edges = np.array([section.start for section in found.sections[1:]])
    figures = {"section edges F within 0.5 s": onset_f(np.array(song.edges), edges, _EDGE_SECONDS)}
    if song.drops:
        off = [min(abs(drop - truth) for truth in song.drops) for drop in found.drops]
        figures["drop right"] = float(bool(off) and max(off) < _EDGE_SECONDS)
    return figures


def _librosa_figures(song: RenderedSong) -> dict[str, float]:
    beats = _librosa_beats(song.sound)
    return {
        "librosa: beats F within 70 ms": beat_f(song.beats, beats),
        "librosa: beats F within 17 ms": beat_f(song.beats, beats, _FINE_SECONDS),
    }


def _librosa_beats(sound: np.ndarray) -> np.ndarray:
    import librosa  # late: it takes seconds to load

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        _, beats = librosa.beat.beat_track(y=sound, sr=RATE, units="time")
    return np.asarray(beats)


def _distances(truth: np.ndarray, found: np.ndarray, window: float) -> np.ndarray:
    """Return how far those of `truth` that were found are from what was found, seconds."""
    pairs = mir_eval.util.match_events(truth, found, window) if len(truth) and len(found) else []
    return np.array([abs(truth[a] - found[b]) for a, b in pairs])


def _values(scores: Sequence[Score], name: str) -> list[float]:
    return [score.figures[name] for score in scores if name in score.figures]


def _short(scores: Sequence[Score], name: str) -> str:
    values = _values(scores, name)
    return f"{mean(values):.2f}" if values else "-"
