"""How right listening is, on songs rendered in code whose truth is exact, beside librosa in the same run."""

import warnings
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from multiprocessing import get_context
from pathlib import Path
from statistics import mean, median

import mir_eval
import numpy as np

from benchmarks.result import Result, at_least, at_most
from epiphane.audio.heard import Listening
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples
from epiphane.document.song import DRUMS
from training.coding import CODINGS
from training.kit import RATE
from training.library import Order, fresh_orders, validation_orders
from training.sampled import load_kits
from training.scores import beat_f, onset_f
from training.song import RenderedSong
from training.unfamiliar import unfamiliar_orders

_FINE_SECONDS = 0.017
_FEWEST_HITS = 5
_EDGE_SECONDS = 0.5
_LEAST_AIMS = {
    "beats F within 70 ms": 0.93,
    "beats F within 17 ms": 0.90,
    "downbeats F": 0.92,
    "metre right": 0.97,
    "clock told right": 0.97,
    "kick F": 0.93,
    "snare F": 0.76,
    "hat F": 0.84,
    "drop right": 0.90,
}
_UNFAMILIAR_AIMS = {
    "beats F within 70 ms": 0.96,
    "beats F within 17 ms": 0.92,
    "beats F within 70 ms, at the best reading": 1.0,
    "kick F": 0.95,
    "snare F": 0.87,
    "hat F": 0.88,
}
# How much less than of the full song may be found of one that lost its top end.
_LOSSES = {"beats F within 70 ms": 0.02, "kick F": 0.03, "snare F": 0.08, "hat F": 0.08}
_N_CODED = 24
_MOST_AIMS = {
    "false kick a minute without drums": (5.0, ""),
    "false snare a minute without drums": (5.0, ""),
    "false hat a minute without drums": (5.0, ""),
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
    yield from _by_style(scores)
    yield Result("validation songs", str(len(scores)))
    yield from _against(scores, _LEAST_AIMS)
    yield from _not_over(scores)
    for name in (
        "librosa: beats F within 70 ms",
        "librosa: beats F within 17 ms",
        "sure beats that are right",
    ):
        yield Result(name, f"{mean(_values(scores, name)):.2f}")


def measure_unfamiliar(folder: Path) -> Iterator[Result]:
    """Listen to written songs in styles, on sounds and through codecs that nothing was learned from."""
    del folder
    scores = score_songs(unfamiliar_orders())
    yield from _by_style(scores)
    yield Result("unfamiliar songs", str(len(scores)))
    yield from _against(scores, _UNFAMILIAR_AIMS)
    yield from _not_over(scores)
    for name in ("downbeats F", "metre right", "clock told right"):
        yield Result(name, f"{mean(_values(scores, name)):.3f}")
    for name in ("librosa: beats F within 70 ms", "librosa: beats F within 17 ms"):
        yield Result(name, f"{mean(_values(scores, name)):.2f}")


def measure_files(folder: Path) -> Iterator[Result]:
    """Listen to fresh songs of the development kits, whole and without their top end."""
    del folder
    orders = fresh_orders(_N_CODED)
    whole = score_songs(orders)
    yield Result("the full song", " ".join(f"{mean(_values(whole, name)):.3f}" for name in _LOSSES))
    for coding in CODINGS:
        coded = score_songs([replace(order, wish=replace(order.wish, coding=coding)) for order in orders])
        for name, most in _LOSSES.items():
            lost = mean(_values(whole, name)) - mean(_values(coded, name))
            yield at_most(f"{coding.name}: less {name}", lost, most, "")


def _by_style(scores: Sequence[Score]) -> Iterator[Result]:
    names = ("beats F within 70 ms", "downbeats F", "kick F", "snare F", "hat F")
    for style in dict.fromkeys(score.style for score in scores):
        rows = [score for score in scores if score.style == style]
        yield Result(
            f"  {style}: beats, downbeats, kick, snare, hat", " ".join(_short(rows, name) for name in names)
        )


def _against(scores: Sequence[Score], aims: dict[str, float]) -> Iterator[Result]:
    for name, aim in aims.items():
        yield at_least(name, mean(_values(scores, name)), aim, "")


def _not_over(scores: Sequence[Score]) -> Iterator[Result]:
    for name, (most, unit) in _MOST_AIMS.items():
        values = _values(scores, name)
        yield at_most(name, median(values) if unit else mean(values), most, unit)


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
        "beats F within 70 ms, at the best reading": max(
            beat_f(song.beats, read) for read in (beats, *_other_readings(found))
        ),
        "beats F within 17 ms": beat_f(song.beats, beats, _FINE_SECONDS),
        "downbeats F": beat_f(song.downbeats, downbeats),
        "metre right": float(found.beats_per_bar == song.beats_per_bar),
        "clock told right": float(found.is_steady == song.is_steady),
    }
    off = _distances(song.beats, beats, 0.05)
    if len(off):
        figures["beats off by, median"] = 1000 * float(np.median(off))
    sure = np.array([beat.time for beat in found.beats if beat.confidence > 0.5])
    if len(sure):
        figures["sure beats that are right"] = len(_distances(sure, song.beats, 0.07)) / len(sure)
    return figures


def _other_readings(found: Listening) -> list[np.ndarray]:
    """Return what one click makes of the beats: other readings, half and double."""
    beats = np.array([beat.time for beat in found.beats])
    offered = [np.array([beat.time for beat in other.beats]) for other in found.others]
    if len(beats) > 1:
        offered += [beats[::2], np.sort(np.concatenate([beats, (beats[1:] + beats[:-1]) / 2]))]
    return offered


def _drum_figures(song: RenderedSong, found: Listening) -> dict[str, float]:
    figures: dict[str, float] = {}
    off = []
    for name in DRUMS:
        times = np.array([hit.time for hit in found.drums.heard(name)])
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
    """Return whether drops are right where the song has a whole form; `benchmarks.form` has more of it."""
    if len(song.edges) < 4 or not song.drops:
        return {}
    off = [min(abs(drop - truth) for truth in song.drops) for drop in found.drops]
    return {"drop right": float(bool(off) and max(off) < _EDGE_SECONDS)}


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
