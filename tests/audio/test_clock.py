"""The machine's clock: found on thirds and off a wrong beat, never found in what people play."""

import numpy as np
import pytest
from helpers import click_track
from hypothesis import example, given, settings
from hypothesis import strategies as st

from epiphane.audio.attack import attack_curve
from epiphane.audio.beat_tracking import analyse
from epiphane.audio.comb import Comb
from epiphane.audio.jumping_clock import find_jumping_clock
from epiphane.audio.relisten import beats_between
from epiphane.audio.samples import Samples
from epiphane.audio.steady import lie_of_attacks, settle_on_clock
from epiphane.errors import MediaError
from training.song import Timing, Wish, render_song
from training.styles import DEVELOPMENT

RATE = 44_100
STYLES = {style.name: style for style in DEVELOPMENT}


def settled(sound, beats):
    found = analyse(sound, RATE)
    return settle_on_clock(
        sound, RATE, strength=found.onsets.strength, attacks=found.attacks, beats=np.asarray(beats)
    )


@pytest.mark.parametrize(("style", "seed"), [("shuffle", 41), ("six eight", 42), ("rock", 43), ("seven", 44)])
def test_chosen_beats_of_a_machine_are_put_on_its_clock(style, seed):
    song = render_song(STYLES[style], seed, wish=Wish(timing=Timing.MACHINE), seconds=24)
    rough = song.beats + np.random.default_rng(seed).normal(0, 0.012, len(song.beats))
    comb = settled(song.sound, rough)
    assert comb is not None
    assert comb.parts == 1
    assert np.abs(comb.nearest(song.beats) - song.beats).max() < 0.004
    assert comb.tempo == pytest.approx(60 / np.diff(song.beats).mean(), abs=0.02)


@pytest.mark.parametrize(("style", "seed"), [("shuffle", 52), ("rock", 53), ("piano", 55)])
def test_what_people_play_keeps_its_own_time(style, seed):
    song = render_song(STYLES[style], seed, wish=Wish(timing=Timing.RAMP), seconds=24)
    assert settled(song.sound, song.beats) is None


@given(st.floats(70, 160), st.floats(0, 0.6), st.sampled_from([1, 2, 3]))
@settings(max_examples=25)
def test_a_comb_counts_its_instants(tempo, start, parts):
    comb = Comb(60 / tempo / parts, start, parts)
    beats = start + np.arange(5, 40) * 60 / tempo
    assert comb.tempo == pytest.approx(tempo)
    assert np.abs(comb.nearest(beats + 0.01) - beats).max() < 1e-9
    every = comb.every_beat(beats)
    assert every.tempo == pytest.approx(tempo)
    assert np.abs(every.nearest(beats) - beats).max() < 1e-9
    until = comb.until(10.0)
    assert until[0] >= 0
    assert until[-1] <= 10.0
    assert len(until) == pytest.approx(10.0 / comb.step, abs=1.01)


@example(120.0, [0.04], 842)
@given(
    st.floats(85, 170),
    st.lists(st.sampled_from([-0.05, -0.02, 0.015, 0.04]), max_size=2),
    st.integers(0, 999),
)
@settings(max_examples=8)
def test_a_clock_that_jumps_has_one_tempo_and_its_jumps(tempo, jumps, seed):
    rng = np.random.default_rng(seed)
    lengths = rng.integers(32, 48, len(jumps) + 1)
    stretch = np.repeat(np.arange(len(lengths)), lengths)
    clicks = 0.5 + np.arange(len(stretch)) * 60 / tempo + np.concatenate([[0], np.cumsum(jumps)])[stretch]
    sound = click_track(clicks, duration=clicks[-1] + 0.5, rate=RATE)
    rough = clicks + rng.normal(0, 0.008, len(clicks))
    found = find_jumping_clock(sound, RATE, attacks=attack_curve(sound, RATE), beats=rough, is_steady=False)
    if not jumps:
        assert found is None
    else:
        assert found.step == pytest.approx(60 / tempo, abs=2e-5)
        assert np.diff(found.phases) == pytest.approx(jumps, abs=0.001)
        assert np.abs(found.beats() - clicks).max() < 0.0015


@pytest.mark.parametrize("timing", [Timing.LIVE, Timing.RAMP])
def test_what_people_play_is_no_clock_that_jumps(timing):
    song = render_song(STYLES["rock"], 61, wish=Wish(timing=timing), seconds=40)
    attacks = attack_curve(song.sound, RATE)
    assert find_jumping_clock(song.sound, RATE, attacks=attacks, beats=song.beats, is_steady=False) is None


def test_attacks_beside_a_comb_tell_by_how_much():
    clicks = np.arange(0.5, 25, 0.5)
    found = analyse(click_track(clicks, duration=25.5, rate=RATE), RATE)
    for off in (-0.02, 0.0, 0.015):
        lying, prominence = lie_of_attacks(found.attacks, Comb(0.25, 0.5 - off, 2).between(clicks))
        assert np.abs(lying - off).max() <= 0.002
        assert prominence > 1.0


def test_a_part_is_listened_to_again_near_the_tempo_that_was_given():
    sound = click_track(np.arange(0.5, 30, 0.5), duration=30.5, rate=RATE)[:, None]
    whole = Samples(sound.astype(np.float32), RATE)
    found = beats_between(whole, 10.0, 20.0, tempo=120)
    times = np.array([beat.time for beat in found])
    assert np.abs(times - np.arange(10.0, 20.0, 0.5)).max() < 0.003
    slow = beats_between(whole, 10.0, 20.0, tempo=60)
    assert np.allclose(np.diff([beat.time for beat in slow]), 1.0, atol=0.005)
    with pytest.raises(MediaError, match=r"at least 1\.5 s"):
        beats_between(whole, 10.0, 11.0, tempo=120)
    silence = Samples(np.zeros((RATE * 8, 1), np.float32), RATE)
    with pytest.raises(MediaError, match="nothing is struck"):
        beats_between(silence, 1.0, 6.0, tempo=120)
