"""Make the weights that Epiphane is shipped with: ``python -m training.train [FOLDER] [N_SONGS]``.

Songs are rendered and studied (kept in FOLDER), then everything is fitted in the order in which it is
used. Whatever a later stage learns from was made by networks that had not heard the song's kit.
"""

import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from epiphane.audio.drums import (
    Strokes,
    describe_in_song,
    describe_windows,
    drum_hits,
    three_drums,
)
from epiphane.audio.following import Followed
from epiphane.audio.listening import HeardBeats, describe_song_beats, hear_beats
from epiphane.audio.metre import CANDIDATES, describe_metres
from epiphane.audio.network import Network, Ranker, Weights, sigmoid, weights_from, weights_to
from epiphane.audio.readings import READINGS, beats_of, describe_readings
from epiphane.audio.subdivision import Evidence, Grid, subdivide
from epiphane.document.model import DRUMS, Drums
from epiphane.types import BoolArray, FloatArray
from training.fitting import coloured_strokes, fit_linear, fit_network, fit_ranker, mean_ranker
from training.library import development_orders, studied
from training.scores import beat_f, onset_f
from training.studying import Studied, heard_analysis

_N_SONGS = 1600
_N_FOLDS = 4
_N_RANKERS = 3
_WEIGHTS = Path("src/epiphane/assets/listening/weights.npz")
_FALSE_HIT_COST = 0.0007  # of F, for one false hit a minute where no drums play


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
    thresholds = _choose_thresholds(songs, play)
    say(f"thresholds {thresholds}")
    sureness = _learn_sureness(with_beats)
    say("sureness")
    weights = Weights(drums, in_song, play, readings, bars, sureness, thresholds)
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

    logits: list[FloatArray] = [np.zeros((0, 5))] * len(library)
    for fold in range(_N_FOLDS):
        network = fit([song for song, at in zip(library, folds, strict=True) if at != fold], fold)
        for number, (song, at) in enumerate(zip(library, folds, strict=True)):
            if at == fold:
                logits[number] = network.logits(song.features)
    return tuple(fit(library, 10 + seed) for seed in range(3)), logits


def _by_style(songs: Sequence[_Song]) -> list[int]:
    """Return a fold for each song such that no style is in two."""
    names = sorted({song.studied.style for song in songs})
    return [names.index(song.studied.style) % 5 for song in songs]


def _learn_readings(songs: Sequence[_Song], say: Callable[[str], None]) -> Ranker:
    inputs, scores = [], []
    for song in songs:
        grid = song.grid(song.followed.beats)
        inputs.append(describe_readings(grid))
        truth = song.studied.song.beats
        scores.append(np.array([beat_f(truth, beats_of(grid, reading)) for reading in READINGS]))
    say(
        f"as followed {np.mean([found[0] for found in scores]):.3f},"
        f" best reading {np.mean([found.max() for found in scores]):.3f}"
    )
    return _ranked(songs, inputs, scores, 0.9, say)


def _learn_bars(songs: Sequence[_Song], say: Callable[[str], None]) -> Ranker:
    """Learn from the best reading of each song: a wrong beat has no right bar."""
    inputs, scores, kept = [], [], []
    for song in songs:
        grid = song.grid(song.followed.beats)
        truth = song.studied.song
        fits = [beat_f(truth.beats, beats_of(grid, reading)) for reading in READINGS]
        beats = beats_of(grid, READINGS[int(np.argmax(fits))])
        if max(fits) < 0.85 or len(beats) < 12:
            continue
        grid = song.grid(beats)
        beats = grid.times[::12]
        inputs.append(describe_metres(grid))
        scores.append(np.array([beat_f(truth.downbeats, beats[first::n]) for n, first in CANDIDATES]))
        kept.append(song)
    return _ranked(kept, inputs, scores, 0.85, say)


def _ranked(
    songs: Sequence[_Song],
    inputs: Sequence[FloatArray],
    scores: Sequence[FloatArray],
    least: float,
    say: Callable[[str], None],
) -> Ranker:
    """Fit a ranker on songs of which at least one candidate is right; say what it scores on other styles."""
    right = [found > found.max() - 0.03 for found in scores]
    usable = [found.max() > least for found in scores]
    folds = _by_style(songs)

    def fit(numbers: Sequence[int], n_rankers: int = 1) -> Ranker:
        learned = [(inputs[k], right[k]) for k in numbers if usable[k]]
        return mean_ranker(
            [fit_ranker(learned, n_hidden=16, penalty=2.0, seed=seed) for seed in range(n_rankers)]
        )

    chosen = np.zeros(len(songs))
    for fold in range(5):
        ranker = fit([k for k in range(len(songs)) if folds[k] != fold])
        for k in range(len(songs)):
            if folds[k] == fold:
                chosen[k] = scores[k][int(ranker.scores(inputs[k]).argmax())]
    best = np.mean([found.max() for found in scores])
    say(f"other styles: {chosen.mean():.3f} of {best:.3f}; right in {np.mean(chosen > 0.9):.3f}")
    return fit(range(len(songs)), _N_RANKERS)


def _learn_drums_in_song(songs: Sequence[_Song], readings: Ranker, bars: Ranker) -> Network:
    inputs = []
    for song in songs:
        beats, beats_per_bar = np.zeros(0), 4
        if song.studied.followed is not None:
            song.heard = hear_beats(
                heard_analysis(song.studied), song.followed, song.strokes, readings=readings, bars=bars
            )
            beats, beats_per_bar = song.heard.beats, song.heard.bars.beats_per_bar
        inputs.append(
            describe_in_song(song.strokes, beats, beats_per_bar)
            if len(song.strokes.hops) > 3
            else np.zeros((0, 47))
        )
    truth = [song.studied.struck[: len(rows)] for song, rows in zip(songs, inputs, strict=True)]

    def fit(numbers: Sequence[int]) -> Network:
        return fit_linear(
            np.concatenate([inputs[k] for k in numbers]), np.concatenate([truth[k] for k in numbers])
        )

    for fold in range(_N_FOLDS):
        network = fit([k for k, song in enumerate(songs) if song.fold != fold])
        for song, rows in zip(songs, inputs, strict=True):
            if song.fold == fold:
                song.likely = three_drums(network.logits(rows))
    return fit(range(len(songs)))


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


def _choose_thresholds(songs: Sequence[_Song], play: Network) -> FloatArray:
    """Return for each drum the likelihood above which it counts as struck."""
    gated = []
    for song in songs:
        assert song.likely is not None
        likely = song.likely
        if len(likely):
            windows, centres = describe_windows(song.strokes, likely, song.duration)
            playing = np.interp(song.strokes.times, centres, sigmoid(play.logits(windows)[:, 0]))
            likely = np.where(playing[:, None] > 0.5, likely, 0.0)
        gated.append(likely)
    options = np.arange(0.15, 0.8, 0.05)
    totals = np.zeros((len(options), len(DRUMS)))
    for row, option in enumerate(options):
        found = [
            drum_hits(song.strokes, likely, np.full(3, option), song.studied.attacks)
            if len(likely)
            else Drums()
            for song, likely in zip(songs, gated, strict=True)
        ]
        for column, name in enumerate(DRUMS):
            scores, false = [], []
            for song, hits in zip(songs, found, strict=True):
                truth = song.studied.song.drum(name)
                times = np.array([hit.time for hit in hits.hits(name)])
                if len(truth) >= 5:
                    scores.append(onset_f(truth, times))
                elif not song.studied.song.has_drums:
                    false.append(60 * len(times) / song.duration)
            totals[row, column] = np.mean(scores) - _FALSE_HIT_COST * np.mean(false)
    print("        F of kick, snare, hat:", np.round(totals.max(axis=0), 3))
    return options[totals.argmax(axis=0)]


def _learn_sureness(songs: Sequence[_Song]) -> Network:
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
    return is_near & (distance.argmin(axis=0)[nearest] == np.arange(len(found)))


if __name__ == "__main__":
    main()
