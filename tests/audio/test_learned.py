"""The parts of listening that weigh evidence: networks, strokes, grids, readings, metres, drums, form."""

from itertools import pairwise

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from msgspec import structs

from epiphane.audio.beat_tracking import analyse, follow
from epiphane.audio.beats_and_bars import hear_beats
from epiphane.audio.drums import drum_hits, hear_drums
from epiphane.audio.form import find_form
from epiphane.audio.heard_strokes import hear_strokes
from epiphane.audio.listening import listen
from epiphane.audio.metre import accented_bars
from epiphane.audio.network import (
    Network,
    Ranker,
    ReadingRankers,
    Standard,
    learned_weights,
    weights_from,
    weights_to,
)
from epiphane.audio.reading_features import READINGS, describe_readings, describe_tempi
from epiphane.audio.samples import Samples
from epiphane.audio.stroke_context import beat_phase
from epiphane.audio.strokes import (
    N_FEATURES,
    STROKE_HOPS_PER_SECOND,
    describe_strokes,
    drum_spectrum,
    find_strokes,
)
from epiphane.audio.subdivision import PARTS, Evidence, repetition, subdivide
from epiphane.document.song import DRUMS, LEAST_SURE
from training.bar_fitting import Example, fit_bar_ranker
from training.fitting import fit_linear, fit_network, fit_ranker
from training.kit import RATE
from training.scores import beat_f, onset_f
from training.song import Timing, Wish, render_song
from training.styles import DEVELOPMENT, Pattern, Style


def style_named(name):
    return next(style for style in DEVELOPMENT if style.name == name)


@pytest.fixture(scope="module")
def rock():
    """Rock for half a minute, made by a machine: the song and everything heard on the way."""
    song = render_song(style_named("rock"), 7, wish=Wish(timing=Timing.MACHINE))
    analysis = analyse(song.sound, RATE)
    return song, analysis, hear_strokes(analysis.drums, learned_weights().drums)


# Networks


def test_weights_are_stored_and_read_whole():
    weights = learned_weights()
    stored = weights_to(weights)
    assert sum(values.nbytes for values in stored.values()) < 300_000
    again = weights_to(weights_from({name: values.astype(np.float64) for name, values in stored.items()}))
    assert stored.keys() == again.keys()
    assert all(np.array_equal(stored[name], again[name]) for name in stored)


@settings(max_examples=20)
@given(arrays(np.float64, (3, 2), elements=st.floats(-20, 20)))
def test_networks_do_what_their_sums_say(inputs):
    rng = np.random.default_rng(3)
    standard = Standard(np.array([1.0, -2.0]), np.array([0.5, 3.0]))
    first, second, hidden = rng.normal(size=(2, 4)), rng.normal(size=(4, 2)), rng.normal(size=(2, 3))
    network = Network(standard, (first, second), (np.ones(4), np.zeros(2)))
    ranker = Ranker(standard, hidden, np.zeros(3), np.ones(3), np.array([0.5, -1.0]))
    for row, logits, score in zip(inputs, network.logits(inputs), ranker.scores(inputs), strict=True):
        x = [min(max((row[k] - standard.mean[k]) / standard.deviation[k], -5), 5) for k in range(2)]
        units = [max(0.0, 1 + sum(x[i] * first[i, j] for i in range(2))) for j in range(4)]
        assert logits == pytest.approx([sum(units[i] * second[i, j] for i in range(4)) for j in range(2)])
        curved = sum(np.tanh(sum(x[i] * hidden[i, j] for i in range(2))) for j in range(3))
        assert score == pytest.approx(curved + 0.5 * x[0] - x[1])


def test_what_is_planted_is_learned():
    rng = np.random.default_rng(1)
    inputs = rng.normal(size=(600, 4))
    truth = np.stack([inputs[:, 0] > 0.3, inputs[:, 1] * inputs[:, 2] > 0], axis=1)
    found = fit_network(inputs, truth, n_hidden=24, n_epochs=200, seed=0).logits(inputs) > 0
    assert (found == truth).mean(axis=0).min() > 0.9
    assert ((fit_linear(inputs, truth[:, :1]).logits(inputs) > 0) == truth[:, :1]).mean() > 0.95
    songs = [(rng.normal(size=(9, 4)), None) for _ in range(150)]
    # The right reading is the one whose first two inputs are most alike: no straight line tells that.
    songs = [(readings, -np.abs(readings[:, 0] - readings[:, 1])) for readings, _ in songs]
    songs = [(readings, score == score.max()) for readings, score in songs]
    ranker = fit_ranker(songs, n_hidden=8, penalty=0.01)
    right = [truth[ranker.scores(readings).argmax()] for readings, truth in songs]
    assert np.mean(right) > 0.75


def mean_bars_of(rng, right, length):
    """Return noisy mean bars of readings, one of which has two kicks in its bars, in any rotation."""
    bars = {n_beats: rng.normal(0, 0.3, (len(READINGS), n_beats, 96)) for n_beats in (3, 4)}
    played = np.zeros((length, 96))
    played[0, 0] = played[length // 2 + 1, 0] = 1.5
    bars[length][right] += np.roll(played, rng.integers(length), axis=0)
    return {n_beats: bar.astype(np.float16) for n_beats, bar in bars.items()}


def test_a_pattern_of_a_bar_is_learned_wherever_bars_begin():
    rng = np.random.default_rng(2)
    tempi = describe_tempi(0.5)
    rows = rng.integers(len(READINGS), size=480)
    is_row = np.eye(len(READINGS), dtype=bool)
    songs = [Example(mean_bars_of(rng, row, 3 + row % 2), tempi, is_row[row]) for row in rows]
    shipped = learned_weights()
    readings = ReadingRankers(shipped.readings.described, (fit_bar_ranker(songs[:400], seed=0),))
    stored = weights_to(structs.replace(shipped, readings=readings))
    read = weights_from({name: values.astype(np.float64) for name, values in stored.items()})
    (ranker,) = read.readings.by_bars
    right = 0
    for song in songs[400:]:
        scores = ranker.scores(song.bars, tempi)
        right += song.right[scores.argmax()]
        turned = {n_beats: np.roll(bars, 1, axis=1) for n_beats, bars in song.bars.items()}
        assert ranker.scores(turned, tempi) == pytest.approx(scores, abs=1e-6)
    assert right / 80 > 0.8


# Strokes and grids


@settings(max_examples=10)
@given(st.integers(0, 10_000), st.floats(0.05, 1.0))
def test_strokes_are_where_bursts_begin_however_loud_the_song_is(seed, gain):
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(0.15, 0.6, 16))
    sound = rng.normal(0, 1e-5, round((times[-1] + 1) * RATE))
    for time in times:
        burst = rng.normal(size=4000) * np.exp(-np.arange(4000) / 900)
        sound[round(time * RATE) :][:4000] += 0.2 * burst
    loud, soft = (
        find_strokes(drum_spectrum((level * sound).astype(np.float32), RATE)) for level in (1.0, gain)
    )
    off = np.abs(loud[None] / STROKE_HOPS_PER_SECOND - times[:, None]).min(axis=1)
    assert off.max() < 0.02  # strokes may be merged with what is 25 ms away, never lost
    assert np.array_equal(loud, soft)


def test_what_strokes_sound_like_does_not_depend_on_the_rate_of_the_file(rock):
    _, analysis, strokes = rock
    assert strokes.features.shape == (len(strokes.hops), N_FEATURES)
    assert np.isfinite(strokes.features).all()
    half = drum_spectrum(analysis.mono[::2].copy(), RATE // 2)
    low = describe_strokes(half, strokes.hops)[:, :8]  # up to 1.5 kHz; above it, taking every second folds
    assert np.corrcoef(low.ravel(), strokes.features[:, :8].ravel())[0, 1] > 0.95


def test_a_grid_carries_beats_on_to_both_ends_and_repeats_by_the_bar(rock):
    song, analysis, strokes = rock
    evidence = Evidence(
        analysis.onsets, strokes.hops, strokes.likelihoods, analysis.harmony.levels, analysis.duration
    )
    grid = subdivide(song.beats[8:-8], evidence)
    beats = grid.times[::PARTS]
    for known in (song.beats[1], song.beats[-2]):
        assert np.abs(beats - known).min() < 0.005
    assert beats[0] < grid.period
    assert analysis.duration - beats[-1] < 1.5 * grid.period
    alike = repetition(grid)
    assert alike[0] == pytest.approx(np.ones(6))
    bar, off = 4 * PARTS, 4 * PARTS + 5
    assert (alike[bar, :2] > alike[off, :2] + 0.2).all()
    assert np.isfinite(describe_readings(grid)).all()
    assert len(describe_readings(grid)) == len(READINGS)


# Beats, drums, form


@pytest.mark.parametrize(
    ("style", "seed"), [("rock", 3), ("waltz", 4), ("five", 5), ("house", 8), ("slow ballad", 9)]
)
def test_a_song_is_heard_in_the_beats_and_bars_that_it_was_written_in(style, seed):
    song = render_song(style_named(style), seed, wish=Wish(timing=Timing.MACHINE))
    found = listen(Samples(song.sound[:, None], RATE))
    beats = np.array([beat.time for beat in found.beats])
    near = np.abs(beats[:, None] - song.beats).min(axis=1)
    assert (near < 0.03).mean() > 0.95
    assert len(beats) == pytest.approx(len(song.beats), abs=3)
    assert found.beats_per_bar == song.beats_per_bar
    downbeats = np.array([beat.time for beat in found.beats if beat.place == 1])
    assert (np.abs(downbeats[:, None] - song.downbeats).min(axis=1) < 0.03).mean() > 0.9
    assert np.mean([beat.confidence for beat in found.beats]) > 0.7
    assert all(other.share <= found.confidence for other in found.others)
    for other in found.others:
        assert [(b.time, b.place) for b in other.beats] != [(b.time, b.place) for b in found.beats]
    assert all(beat.confidence == 1 for other in found.others for beat in other.beats)


@pytest.mark.parametrize(("groups", "seed"), [((2, 2, 3), 1), ((3, 2, 2), 2), ((3, 2), 4)])
def test_groups_of_two_and_three_are_the_beats_of_bars_too_fast_to_tap(groups, seed):
    n_units, starts = sum(groups), np.cumsum((0, *groups[:-1]))
    kick, snare = np.full(2 * n_units, "-"), np.full(2 * n_units, "-")
    kick[2 * starts], snare[2 * starts + 2] = "x", "x"
    pattern = Pattern("".join(kick), "".join(snare), "o-" * n_units)
    style = Style("uneven", n_units, 2, (262, 310), (pattern,), ("long",), ("chug",))
    song = render_song(style, seed, wish=Wish(timing=Timing.MACHINE), seconds=24)
    found = listen(Samples(song.sound[:, None], RATE))
    beats = np.array([beat.time for beat in found.beats])
    tapped = np.sort(np.concatenate([song.beats[start::n_units] for start in starts]))
    assert beat_f(tapped, beats) > 0.95
    assert found.beats_per_bar == len(groups)
    units = found.others[0]
    assert units.beats_per_bar == n_units
    assert beat_f(song.beats, np.array([beat.time for beat in units.beats])) > 0.95


def test_drums_are_told_apart_on_their_attacks_and_by_strength(rock):
    song, analysis, strokes = rock
    weights = learned_weights()
    followed = follow(analysis)
    heard = hear_beats(analysis, followed, strokes, readings=weights.readings, bars=weights.bars)
    likely = hear_drums(strokes, heard.beats, heard.bars.beats_per_bar, analysis.duration, weights)
    bar = heard.bars.beats_per_bar * float(np.median(np.diff(heard.beats)))
    found = drum_hits(strokes, likely, bar, analysis.duration, analysis.attacks, weights)
    for drum in DRUMS:
        times = np.array([hit.time for hit in found.hits(drum)])
        truth = song.drum(drum)
        assert onset_f(truth, times) > (0.7 if drum == "snare" else 0.8), drum
        off = np.abs(times[:, None] - truth).min(axis=1)
        assert np.median(off) < 0.003, drum
        assert np.diff(times).min() >= 0.05 - 1e-6
        assert all(0 < hit.strength <= 1 for hit in found.hits(drum))


def test_where_no_drums_play_none_are_heard():
    song = render_song(style_named("strings"), 11)
    found = listen(Samples(song.sound[:, None], RATE))
    assert sum(len(found.drums.heard(drum)) for drum in DRUMS) < 4 * song.duration / 60
    assert not any(sure > LEAST_SURE for sure in found.drums.confidence)


@given(st.lists(st.floats(0.2, 0.9), min_size=4, max_size=12), st.floats(-3, 12))
def test_the_phase_goes_up_by_one_from_beat_to_beat(gaps, time):
    beats = np.cumsum(gaps)
    assert beat_phase(beats, beats) == pytest.approx(np.arange(len(beats)))
    earlier, later = beat_phase(beats, np.array([time, time + 0.05]))
    assert earlier < later


def formed(style, words):
    """Return a song of some parts by letters and bars: P is without drums and bass, Q has a pad alone."""
    form = tuple((word[0], int(word[1:])) for word in words.split())
    return render_song(style_named(style), 25, wish=Wish(timing=Timing.MACHINE, form=form))


def parts_in(sound):
    """Return the kinds, letters and starts of the parts that are heard in a sound, and the drops."""
    found = listen(Samples(sound[:, None], RATE))
    sections = found.sections
    assert all(one.end == other.start for one, other in pairwise(sections))
    assert sections[-1].end == pytest.approx(len(sound) / RATE, abs=1e-3)
    assert all(0 <= section.energy <= 1 for section in sections)
    return [(one.kind, one.name) for one in sections], [one.start for one in sections], found.drops


def test_parts_are_told_by_how_much_goes_on_and_drops_are_where_it_comes_in():
    song = formed("house", "P4 V8 Q4 V8 P4")
    kinds, starts, drops = parts_in(song.sound)
    assert kinds == [("calm", "A"), ("full", "B"), ("break", "C"), ("full", "B"), ("calm", "A")]
    assert starts[1:] == pytest.approx(song.edges, abs=0.05)
    assert drops == pytest.approx(song.drops, abs=0.05)
    # Twice, and quieter: what was its end is now a break, and all the rest comes again.
    twice, places, drops = parts_in(0.3 * np.concatenate([song.sound, song.sound]))
    assert twice == [*kinds[:4], ("break", "A"), *kinds[1:]]
    assert places[5:] == pytest.approx([edge + song.duration for edge in song.edges], abs=0.05)
    assert drops == pytest.approx([*song.drops, *(drop + song.duration for drop in song.drops)], abs=0.05)


def test_an_even_song_has_one_part_and_a_stop_of_a_bar_is_no_drop():
    kinds, _, drops = parts_in(formed("techno", "V16").sound)
    assert (kinds, drops) == ([("full", "A")], ())
    kinds, _, drops = parts_in(formed("rock", "V8 Q1 V8").sound)
    assert {kind for kind, _ in kinds} <= {"full", "break"}
    assert drops == ()


def test_a_short_song_has_no_parts(rock):
    _, analysis, strokes = rock
    likely = np.zeros((len(strokes.hops), 3))
    beats = np.arange(11) * 0.5
    form = find_form(beats, beats[::4], 4, analysis.drums, analysis.harmony.levels, strokes, likely, 5.5)
    assert form.sections == ()
    assert form.drops == ()


@given(st.integers(2, 7), st.integers(0, 6), st.integers(0, 1000))
def test_accented_clicks_tell_the_bar(n_beats, first, seed):
    levels = np.random.default_rng(seed).normal(-1, 0.03, 48)
    levels[first % n_beats :: n_beats] += 0.5
    bars = accented_bars(levels)
    assert bars.beats_per_bar == n_beats
    assert np.flatnonzero(bars.places == 0).tolist() == list(range(first % n_beats, 48, n_beats))
    assert accented_bars(levels * 0.0) is None


CHANGES = {
    "quieter": (lambda sound: 0.25 * sound, 0.0, 1.0),
    "three seconds later": (lambda sound: np.concatenate([np.zeros(3 * RATE, np.float32), sound]), 3.0, 1.0),
    "two per cent slower": (lambda sound: soxr.resample(sound, RATE, 1.02 * RATE), 0.0, 1.02),
}


@pytest.mark.parametrize("name", CHANGES)
def test_what_changes_no_music_changes_few_hits_and_no_kind_of_a_part(name):
    change, later, slower = CHANGES[name]
    sound = formed("house", "P4 V8 Q4 V4").sound
    one, other = (listen(Samples(each[:, None], RATE)) for each in (sound, np.float32(change(sound))))
    assert [part.kind for part in other.sections] == [part.kind for part in one.sections]
    assert other.drops == pytest.approx([drop * slower + later for drop in one.drops], abs=0.02)
    for drum in ("kick", "snare", "hat"):
        here, there = (np.array([hit.time for hit in each.drums.heard(drum)]) for each in (one, other))
        if len(here):
            near = np.abs(here[:, None] * slower + later - there).min(axis=1) < 0.01
            assert near.mean() >= 0.95 and abs(len(here) - len(there)) <= 0.05 * len(here), drum
