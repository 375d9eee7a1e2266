"""Make the weights that Epiphane is shipped with: ``python -m training.train [FOLDER] [N_SONGS]``.

Songs are rendered and studied (kept in FOLDER), then everything is fitted in the order in which it is
used. Whatever a later stage learns from was made by networks that had not heard the song's kit.
"""

import sys
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path
from typing import TypeVar

import numpy as np
from threadpoolctl import threadpool_limits

from epiphane.audio.beat_tracking import Followed
from epiphane.audio.beats_and_bars import HeardBeats, describe_song_beats, hear_beats
from epiphane.audio.drums import describe_windows, hit_times, spaced, where_playing
from epiphane.audio.heard_strokes import Strokes, three_drums
from epiphane.audio.metre import CANDIDATES, describe_metres
from epiphane.audio.network import (
    BarRanker,
    Network,
    Ranker,
    ReadingRankers,
    Weights,
    weights_from,
    weights_to,
)
from epiphane.audio.reading_features import READINGS, beats_of, describe_readings
from epiphane.audio.stroke_context import N_IN_SONG, describe_in_song
from epiphane.audio.subdivision import Evidence, Grid, subdivide
from epiphane.audio.thresholds import THRESHOLDS, describe_thresholds
from epiphane.document.song import DRUMS
from epiphane.types import BoolArray, FloatArray
from training.bar_fitting import Example, examples, fit_bar_ranker, unheard_kit
from training.fitting import coloured_strokes, fit_linear, fit_network, fit_ranker, mean_ranker
from training.library import development_orders, studied
from training.scores import beat_f, onset_f
from training.studying import Studied, heard_analysis

_N_SONGS = 2200
_N_FOLDS, _N_STYLE_FOLDS = 4, 5
# What rankers are the mean of: units, penalty and seed of each.
_RANKERS = (*((16, 2.0, seed) for seed in range(3)), *((32, 4.0, seed) for seed in range(5, 9)))
_WEIGHTS = Path("src/epiphane/assets/listening/weights.npz")
_MOST_FALSE, _FEWEST_HITS = 1.5, 5  # hits a minute of a drum that a song does not have; of one to learn from
_N_BAR_RANKERS, _N_UNHEARD_KITS = 3, 2
_LEAST_READING_F, _ALSO_RIGHT_F = 0.9, 0.03  # of the best reading of a song to learn from; below the best
_RIGHT_F = 0.7  # from which a drum is said to be heard


@dataclass
class _Song:
    """A song on its way through training."""

    studied: Studied
    fold: int
    strokes: Strokes
    heard: HeardBeats | None = None
    likely: FloatArray | None = None

    @property
    def followed(self) -> Followed:
        assert self.studied.followed is not None
        return self.studied.followed

    @property
    def duration(self) -> float:
        return self.studied.duration

    @property
    def bar_seconds(self) -> float:
        """The usual length of a bar as heard; 0 where there is none."""
        if self.heard is None or len(self.heard.beats) < 2:
            return 0.0
        return self.heard.bars.beats_per_bar * float(np.median(np.diff(self.heard.beats)))

    def grid(self, beats: FloatArray) -> Grid:
        """Return the subdivision over some beats of the song."""
        kept = self.studied
        harmony = kept.harmony.astype(np.float32)
        evidence = Evidence(kept.onsets, self.strokes.hops, self.strokes.likelihoods, harmony, self.duration)
        return subdivide(beats, evidence)


def main() -> None:
    """Render, fit, write the weights and print what they score on songs of other folds."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "build/training")
    n_songs = int(sys.argv[2]) if len(sys.argv) > 2 else _N_SONGS
    with threadpool_limits(1):  # the products are small: threads would only wait for each other
        weights = train(list(studied(development_orders(n_songs), folder)))
    _WEIGHTS.parent.mkdir(parents=True, exist_ok=True)
    np.savez_compressed(_WEIGHTS, **weights_to(weights))  # type: ignore[arg-type]
    print(f"{_WEIGHTS}: {_WEIGHTS.stat().st_size / 1000:.0f} kB")


def train(library: Sequence[Studied]) -> Weights:
    """Return weights learned from songs."""
    clock = time.monotonic()

    def say(what: str) -> None:
        print(f"{time.monotonic() - clock:6.0f} s  {what}", flush=True)

    by_kit = [kept.song.kit % _N_FOLDS for kept in library]
    drums, logits = _learn_strokes(library, by_kit)
    songs = [
        _Song(kept, fold, Strokes(kept.strokes, kept.features, found))
        for kept, fold, found in zip(library, by_kit, logits, strict=True)
    ]
    say("strokes")
    with_beats = [
        song for song in songs if song.studied.followed is not None and len(song.followed.beats) >= 12
    ]
    readings = _learn_readings(with_beats, say)
    say("readings")
    bars = _learn_bars(with_beats, say)
    say("bars")
    in_song = _learn_drums_in_song(songs, readings, bars)
    say("drums in the song")
    play = _learn_whether_drums_play(songs)
    thresholds, drum_confidence = _learn_thresholds(songs, play)
    say("thresholds")
    confidence = _learn_confidence(with_beats)
    say("confidence")
    weights = Weights(drums, in_song, play, readings, bars, confidence, thresholds, drum_confidence)
    return weights_from({name: values.astype(np.float64) for name, values in weights_to(weights).items()})


def _learn_strokes(
    library: Sequence[Studied], folds: Sequence[int]
) -> tuple[tuple[Network, ...], list[FloatArray]]:
    """Return the networks, and for each song the logits of networks that do not know its kit."""

    def fit(kept: Sequence[Studied], seed: int) -> Network:
        features = np.concatenate([song.features for song in kept])
        struck = np.concatenate([song.struck for song in kept])
        features = np.concatenate([features, coloured_strokes(np.random.default_rng(seed), features)])
        return fit_network(features, np.concatenate([struck, struck]), n_hidden=48, n_epochs=7, seed=seed)

    def fit_without(fold: int) -> Network:
        return fit([song for song, at in zip(library, folds, strict=True) if at != fold], fold)

    *apart, one, two, three = _each(fit_without, range(_N_FOLDS + 3))  # the last ones leave out no fold
    return (one, two, three), [
        apart[at].logits(song.features) for song, at in zip(library, folds, strict=True)
    ]


_Made = TypeVar("_Made")
_at_work: list[Callable[[int], object]] = []


def _each(function: Callable[[int], _Made], numbers: Sequence[int]) -> list[_Made]:
    """Return what a function makes of each number, by two processes that inherit what it refers to."""
    _at_work[:] = [function]
    with ProcessPoolExecutor(2, mp_context=get_context("fork")) as pool:
        return list(pool.map(_call, numbers, chunksize=1 if len(numbers) < 16 else 16))  # type: ignore[arg-type]


def _call(number: int) -> object:
    return _at_work[0](number)


def _by_style(songs: Sequence[_Song]) -> list[int]:
    """Return a fold for each song such that no style is in two."""
    names = sorted({song.studied.style for song in songs})
    return [names.index(song.studied.style) % _N_STYLE_FOLDS for song in songs]


def _learn_readings(songs: Sequence[_Song], say: Callable[[str], None]) -> ReadingRankers:
    def describe(number: int) -> tuple[FloatArray, FloatArray]:
        grid, truth = songs[number].grid(songs[number].followed.beats), songs[number].studied.song.beats
        return describe_readings(grid), np.array(
            [beat_f(truth, beats_of(grid, reading)) for reading in READINGS]
        )

    inputs, scores = zip(*_each(describe, range(len(songs))), strict=True)
    say(
        f"as followed {np.mean([found[0] for found in scores]):.3f},"
        f" best reading {np.mean([found.max() for found in scores]):.3f}"
    )
    by_bars = _learn_by_bars(songs, scores)
    ranker = _ranked(songs, inputs, scores, _LEAST_READING_F, say)
    return ReadingRankers(ranker, by_bars)


def _learn_by_bars(songs: Sequence[_Song], scores: Sequence[FloatArray]) -> tuple[BarRanker, ...]:
    """Return rankers of mean bars; each song is learned from twice, as if on kits that nobody has heard."""

    def disturbed(number: int) -> list[Example]:
        song, rng = songs[number], np.random.default_rng(number)
        right = scores[number] > scores[number].max() - _ALSO_RIGHT_F
        found: list[Example] = []
        for _ in range(_N_UNHEARD_KITS):
            logits = unheard_kit(rng, song.strokes.logits)
            strokes = Strokes(song.strokes.hops, song.strokes.features, logits)
            grid = replace(song, strokes=strokes).grid(song.followed.beats)
            found += examples(rng, grid, right)
        return found

    usable = [number for number in range(len(songs)) if scores[number].max() > _LEAST_READING_F]
    found = [one for song in _each(disturbed, usable) for one in song]
    return tuple(_each(lambda seed: fit_bar_ranker(found, seed=seed), range(_N_BAR_RANKERS)))


def _learn_bars(songs: Sequence[_Song], say: Callable[[str], None]) -> Ranker:
    """Learn from the best reading of each song: a wrong beat has no right bar."""

    def describe(number: int) -> tuple[FloatArray, FloatArray] | None:
        grid, truth = songs[number].grid(songs[number].followed.beats), songs[number].studied.song
        fits = [beat_f(truth.beats, beats_of(grid, reading)) for reading in READINGS]
        beats = beats_of(grid, READINGS[int(np.argmax(fits))])
        if max(fits) < 0.85 or len(beats) < 12:
            return None
        grid = songs[number].grid(beats)
        beats = grid.times[::12]
        return describe_metres(grid), np.array(
            [beat_f(truth.downbeats, beats[first::n]) for n, first in CANDIDATES]
        )

    described = _each(describe, range(len(songs)))
    kept = [song for song, one in zip(songs, described, strict=True) if one is not None]
    inputs, scores = zip(*(one for one in described if one is not None), strict=True)
    return _ranked(kept, inputs, scores, 0.85, say)


def _ranked(
    songs: Sequence[_Song],
    inputs: Sequence[FloatArray],
    scores: Sequence[FloatArray],
    least: float,
    say: Callable[[str], None],
) -> Ranker:
    """Fit a ranker on songs of which at least one candidate is right; say what it scores on other styles."""
    right = [found > found.max() - _ALSO_RIGHT_F for found in scores]
    usable = [found.max() > least for found in scores]
    folds = _by_style(songs)

    def fit_without(fold: int) -> Ranker:
        numbers = [k for k in range(len(songs)) if folds[k] != fold and usable[k]]
        n_hidden, penalty, seed = _RANKERS[max(0, fold - _N_STYLE_FOLDS)]
        return fit_ranker(
            [(inputs[k], right[k]) for k in numbers], n_hidden=n_hidden, penalty=penalty, seed=seed
        )

    rankers = _each(fit_without, range(_N_STYLE_FOLDS + len(_RANKERS)))  # the last ones leave out no fold
    chosen = np.array(
        [
            found[int(rankers[fold].scores(rows).argmax())]
            for rows, found, fold in zip(inputs, scores, folds, strict=True)
        ]
    )
    best = np.mean([found.max() for found in scores])
    say(f"other styles: {chosen.mean():.3f} of {best:.3f}; right in {np.mean(chosen > 0.9):.3f}")
    return mean_ranker(rankers[_N_STYLE_FOLDS:])


def _learn_drums_in_song(songs: Sequence[_Song], readings: ReadingRankers, bars: Ranker) -> Network:
    def hear(number: int) -> tuple[HeardBeats | None, np.ndarray]:
        song = songs[number]
        heard, beats, beats_per_bar = None, np.zeros(0), 4
        if song.studied.followed is not None:
            heard = hear_beats(
                heard_analysis(song.studied), song.followed, song.strokes, readings=readings, bars=bars
            )
            beats, beats_per_bar = heard.beats, heard.bars.beats_per_bar
        if len(song.strokes.hops) < 4:
            return heard, np.zeros((0, N_IN_SONG))
        return heard, describe_in_song(song.strokes, beats, beats_per_bar)

    inputs = []
    for song, (heard, rows) in zip(songs, _each(hear, range(len(songs))), strict=True):
        song.heard = heard
        inputs.append(rows)
    truth = [song.studied.struck[: len(rows)] for song, rows in zip(songs, inputs, strict=True)]

    def fit(numbers: Sequence[int]) -> Network:
        return fit_linear(
            np.concatenate([inputs[k] for k in numbers]), np.concatenate([truth[k] for k in numbers])
        )

    def fit_without(fold: int) -> Network:
        return fit([k for k, song in enumerate(songs) if song.fold != fold])

    *apart, whole = _each(fit_without, range(_N_FOLDS + 1))
    for song, rows in zip(songs, inputs, strict=True):
        song.likely = three_drums(apart[song.fold].logits(rows))
    return whole


def _learn_whether_drums_play(songs: Sequence[_Song]) -> Network:
    rows, truth = [], []
    for song in songs:
        assert song.likely is not None
        if len(song.likely) == 0:
            continue
        windows, centres = describe_windows(song.strokes, song.likely, song.duration)
        hits = np.concatenate([np.array(times) for times in song.studied.song.hits.values()])
        counts = np.array([(np.abs(hits - centre) < 4).sum() for centre in centres])
        is_clear = (counts == 0) | (counts >= 6)
        rows.append(windows[is_clear])
        truth.append(counts[is_clear, None] > 0)
    return fit_linear(np.concatenate(rows), np.concatenate(truth), strength=0.3)


@dataclass
class _Options:
    """The thresholds of one drum of a song: what they are described by, what they score, which are right."""

    fold: int
    described: FloatArray
    scores: FloatArray
    right: BoolArray
    is_heard: BoolArray


def _learn_thresholds(
    songs: Sequence[_Song], play: Network
) -> tuple[tuple[Ranker, ...], tuple[Network, ...]]:
    """Return for each drum what chooses a threshold in a song, and what tells how sure its hits are."""

    def describe(number: int) -> list[_Options | None]:
        song, judged = songs[number], []
        if song.likely is None or len(song.likely) == 0:
            return [None] * len(DRUMS)
        likely = where_playing(song.strokes, song.likely, song.duration, play)
        times = hit_times(song.strokes, song.studied.attacks)
        sounding = song.duration - song.strokes.leading_silence
        for drum, name in enumerate(DRUMS):
            described = describe_thresholds(
                times, likely.drums[:, drum], likely.playing, song.bar_seconds, sounding
            )
            found = [times[spaced(times, likely.drums[:, drum], threshold)] for threshold in THRESHOLDS]
            judged.append(_judged(song, name, described, found))
        return judged

    by_song = _each(describe, range(len(songs)))
    rankers, networks = [], []
    for name, judged in zip(DRUMS, zip(*by_song, strict=True), strict=True):
        options = [one for one in judged if one is not None]
        rows, heard, scores = [], [], []
        for fold in range(_N_FOLDS):
            ranker = _fit_thresholds([one for one in options if one.fold != fold])
            for one in options:
                if one.fold == fold:
                    best = int(ranker.scores(one.described).argmax())
                    rows.append(one.described[best])
                    heard.append(one.is_heard[best])
                    scores.append(one.scores[best])
        values = np.array(scores)
        print(
            f"        {name}: F {values[values >= 0].mean():.3f},"
            f" false a minute {-values[values < 0].mean():.2f}"
        )
        rankers.append(_fit_thresholds(options))
        networks.append(fit_linear(np.array(rows), np.array(heard)[:, None]))
    return tuple(rankers), tuple(networks)


def _judged(song: _Song, name: str, described: FloatArray, found: Sequence[FloatArray]) -> _Options | None:
    """Return the options with what they score: F, or minus the false hits a minute; None for a few hits."""
    truth = song.studied.song.drum(name)
    if len(truth) >= _FEWEST_HITS:
        scores = np.array([onset_f(truth, times) for times in found])
        return _Options(song.fold, described, scores, scores > scores.max() - 0.02, scores > _RIGHT_F)
    if len(truth):
        return None
    false = np.array([60 * len(times) / song.duration for times in found])
    return _Options(song.fold, described, -1e-9 - false, false < _MOST_FALSE, np.zeros(len(false), bool))


def _fit_thresholds(options: Sequence[_Options]) -> Ranker:
    return fit_ranker([(one.described, one.right) for one in options], n_hidden=8, penalty=0.5)


def _learn_confidence(songs: Sequence[_Song]) -> Network:
    rows, truth = [], []
    for song in songs:
        heard = song.heard
        if heard is None or len(heard.beats) < 2:
            continue
        rows.append(describe_song_beats(heard_analysis(song.studied), heard))
        truth.append(_is_right(heard.beats, song.studied.song.beats)[:, None])
    return fit_linear(np.concatenate(rows), np.concatenate(truth))


def _is_right(found: FloatArray, truth: FloatArray) -> BoolArray:
    """Return which beats are within 70 ms of a true one that no other beat is nearer to."""
    distance = np.abs(found[:, None] - truth[None])
    nearest = distance.argmin(axis=1)
    is_near = distance.min(axis=1) < 0.07
    return np.asarray(is_near & (distance.argmin(axis=0)[nearest] == np.arange(len(found))))


if __name__ == "__main__":
    main()
