"""Beats where they were played, to the millisecond; and silence where there are none."""

import json

import numpy as np
import pytest
from helpers import SOUND_RATE, click_track, write_sound
from hypothesis import example, given, settings
from hypothesis import strategies as st

from epiphane.arrays import distance_to_nearest
from epiphane.audio.cache import cache_folder, hear_song
from epiphane.audio.heard import COLUMNS_PER_SECOND
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples
from epiphane.audio.waveform import waveform_columns
from epiphane.demo import SONG_FILE, TRUTH_FILE
from epiphane.document.song import BANDS, DRUMS
from training.coding import CODINGS, coded
from training.kit import RATE as RENDER_RATE
from training.scores import beat_f, onset_f
from training.song import Timing, Wish, render_song
from training.styles import DEVELOPMENT

# A click begins within a millisecond, and the grid is fitted to attacks known to the sample.
EXACT_SECONDS = 0.001
A_MACHINE = Wish(timing=Timing.MACHINE)


def heard(sound, rate=SOUND_RATE):
    return listen(Samples(sound.reshape(len(sound), -1).astype(np.float32), rate))


def times_of(listening):
    return np.array([beat.time for beat in listening.beats])


@settings(max_examples=12)
@given(st.floats(72, 176), st.floats(0.0, 1.2), st.sampled_from([22_050, 44_100, 48_000]))
def test_clicks_are_beats_exactly(tempo, start, rate):
    clicks = np.arange(start, 15.0, 60 / tempo)
    found = heard(click_track(clicks, duration=15.5, rate=rate), rate)
    assert found.is_steady
    # Half and double are readings that people tap too: then beats are every other click or also between.
    ratio = found.tempo / tempo
    assert min(abs(ratio - 1), abs(ratio - 2), abs(ratio - 0.5)) < 0.0005
    step = 60 / tempo / max(1, round(ratio))
    off = (times_of(found) - start) / step
    assert np.abs(off - np.round(off)).max() * step < EXACT_SECONDS


@pytest.mark.parametrize("tempo", [90, 120, 128])
def test_louder_clicks_are_downbeats(tempo):
    clicks = np.arange(0.5, 20, 60 / tempo)
    found = heard(click_track(clicks, duration=20))
    downbeats = [beat.time for beat in found.beats if beat.place == 1]
    assert found.beats_per_bar == 4
    assert times_of(found) == pytest.approx(clicks[: len(found.beats)], abs=EXACT_SECONDS)
    assert len(found.beats) >= len(clicks) - 1
    assert downbeats == pytest.approx(clicks[::4][: len(downbeats)], abs=EXACT_SECONDS)


@settings(max_examples=10)
@given(st.floats(50, 190), st.booleans())
def test_a_metronome_is_heard_at_its_tempo_with_or_without_a_drum_on_every_second_click(tempo, has_drum):
    clicks = np.arange(0.5, 20, 60 / tempo)
    sound = click_track(clicks, duration=20.5)
    t = np.arange(round(0.15 * SOUND_RATE)) / SOUND_RATE
    drum = 0.7 * np.sin(2 * np.pi * (55 * t + 2 * (1 - np.exp(-40 * t)))) * np.exp(-t * 20)
    for time in clicks[::2] if has_drum else ():
        first = round(time * SOUND_RATE)
        sound[first : first + len(drum)] += drum[: len(sound) - first]
    found = heard(sound / 2)
    assert found.tempo == pytest.approx(tempo, rel=1e-3)
    assert np.abs(times_of(found)[:, None] - clicks).min(axis=1).max() < 0.004


@settings(max_examples=4)
@given(st.integers(1, 60), st.sampled_from(["rock", "house", "waltz"]))
@example(57, "house")
def test_silence_before_a_song_shifts_all_that_is_heard_by_it(tenths, style):
    """By whole hops of every spectrum: what lies between them is rounded otherwise."""
    song = render_song(next(one for one in DEVELOPMENT if one.name == style), 7, wish=A_MACHINE, seconds=16)
    found = heard(song.sound, RENDER_RATE)
    later = heard(np.concatenate([np.zeros(RENDER_RATE * tenths // 10, np.float32), song.sound]), RENDER_RATE)
    # A beat before the file begins has room after silence.
    one = [(beat.time + tenths / 10, beat.place) for beat in found.beats if beat.time > 1]
    other = [(beat.time, beat.place) for beat in later.beats if beat.time > 1 + tenths / 10]
    assert np.array(other) == pytest.approx(np.array(one), abs=EXACT_SECONDS)
    for name in (*DRUMS, *BANDS):
        one, other = (
            np.array([hit.time + by for hit in each.drums.heard(name)])
            for each, by in ((found, tenths / 10), (later, 0.0))
        )
        n_same = (distance_to_nearest(other, one) < EXACT_SECONDS).sum()
        assert n_same >= 0.9 * max(len(one), len(other)), name


@pytest.mark.parametrize("coding", CODINGS[::2], ids=lambda coding: coding.name)
def test_a_file_without_its_top_end_is_heard_like_the_whole(coding):
    """One of each way of losing it; `benchmarks files` tries all."""
    song = render_song(next(one for one in DEVELOPMENT if one.name == "rock"), 7, wish=A_MACHINE)
    found = heard(coded(song.sound, coding), RENDER_RATE)
    assert beat_f(song.beats, times_of(found)) > 0.95
    for drum, least in (("kick", 0.85), ("snare", 0.7)):
        assert onset_f(song.drum(drum), np.array([hit.time for hit in found.drums.heard(drum)])) > least


@pytest.mark.parametrize("seed", [7, 10])
def test_a_bass_between_the_beats_does_not_pull_them_to_it(seed):
    """Nor does half a song follow the one and half the other: a machine's song has one phase."""
    style = next(one for one in DEVELOPMENT if one.name == "techno")._replace(bass=("off",))
    song = render_song(style, seed, wish=A_MACHINE, seconds=40)
    found = heard(song.sound, RENDER_RATE)
    assert found.is_steady
    off = np.abs(times_of(found)[:, None] - song.beats).min(axis=1)
    assert (off < 0.02).mean() > 0.95


def test_what_plays_in_its_own_time_is_not_forced_onto_a_clock():
    rng = np.random.default_rng(5)
    clicks = 0.5 + np.cumsum(np.linspace(0.62, 0.44, 34) + rng.normal(0, 0.004, 34))
    found = heard(click_track(clicks, duration=float(clicks[-1]) + 0.5))
    assert not found.is_steady
    distances = np.abs(times_of(found)[:, None] - clicks).min(axis=1)
    assert np.median(distances) < 0.002
    assert (distances < 0.05).mean() > 0.9


@pytest.mark.parametrize("suffix", [".wav", ".flac", ".mp3", ".m4a", ".ogg"])
@pytest.mark.parametrize("shape", ["step", "soft", "noise"])
def test_hits_of_any_shape_and_format_are_placed_within_a_fraction_of_a_millisecond(tmp_path, suffix, shape):
    t = np.arange(round(0.04 * SOUND_RATE)) / SOUND_RATE
    noise = np.random.default_rng(2).normal(0, 0.4, len(t))
    hit = {
        "step": np.cos(2 * np.pi * 900 * t) * np.exp(-t / 0.01),
        "soft": np.minimum(t / 0.004, 1) * np.sin(2 * np.pi * 900 * t) * np.exp(-t / 0.01),
        "noise": noise * np.exp(-t / 0.01),
    }[shape]
    times = np.arange(0.5, 11.5, 0.5)
    sound = np.zeros(12 * SOUND_RATE, np.float32)
    for time in times:
        sound[round(time * SOUND_RATE) :][: len(t)] += (0.7 * hit).astype(np.float32)
    found = times_of(hear_song(write_sound(tmp_path / f"song{suffix}", sound)).listening)
    # A soft beginning is heard late; what lossy formats add before an attack is a tenth of this.
    limit = 0.0007 if shape == "soft" else 0.0001
    assert np.abs(found - times[: len(found)]).max() < limit
    assert len(found) >= len(times) - 1


@pytest.mark.parametrize("seed", [40_203, 40_301, 40_501])
def test_a_player_who_wanders_is_not_forced_onto_a_clock(seed):
    song = render_song(DEVELOPMENT[seed % 4], seed, wish=Wish(timing=Timing.RAMP))
    assert not heard(song.sound, RENDER_RATE).is_steady


def test_a_clock_that_changes_near_the_end_is_not_kept_to_it():
    before = np.arange(0.5, 18, 60 / 110)
    clicks = np.concatenate([before, np.arange(before[-1] + 0.46, 25, 0.46)])
    found = heard(click_track(clicks, duration=25.2))
    assert not found.is_steady
    off = np.abs(times_of(found)[:, None] - clicks).min(axis=1)
    assert (off < 0.03).mean() > 0.9


def test_silence_before_and_after_has_no_beats():
    times = times_of(heard(click_track(np.arange(4.0, 16.0, 0.5), duration=22.0)))
    assert 3.9 < times[0] < times[-1] < 16.1


RNG = np.random.default_rng(1)
SPEECH = np.repeat(RNG.uniform(0, 1, 150) ** 3, 4000) * RNG.normal(0, 0.2, 600_000)
NO_BEAT = {
    "silence": (np.zeros(5 * SOUND_RATE), "is silent"),
    "noise": (RNG.normal(0, 0.1, 12 * SOUND_RATE), "no beat that can be heard"),
    "tone": (0.3 * np.sin(np.arange(12 * SOUND_RATE) / 17), "no beat that can be heard"),
    "a constant": (np.full(5 * SOUND_RATE, 0.4), "is silent"),
    "a fifth of a second": (click_track([0.05], duration=0.2), "too short"),
    "one sample": (np.zeros(1), "too short"),
}


@pytest.mark.parametrize("name", NO_BEAT)
def test_what_has_no_beat_gets_none_and_a_sentence(name):
    sound, words = NO_BEAT[name]
    found = heard(sound)
    assert found.beats == ()
    assert found.tempo == 0
    assert words in found.remark
    assert sum(len(found.drums.heard(drum)) for drum in DRUMS) < 4


@pytest.mark.parametrize(
    "sound", [click_track([3.0], duration=8), SPEECH], ids=["one click", "what ebbs and flows as speech does"]
)
def test_where_a_beat_is_chance_it_is_said_to_be_doubtful(sound):
    found = heard(sound)
    assert not found.is_steady
    assert np.mean([beat.confidence for beat in found.beats] or [0]) < 0.5


CLICKS = np.arange(0.5, 14, 0.5)
ODD_SOUND = {
    "8 kHz": lambda: (click_track(CLICKS, duration=14.5, rate=8000), 8000),
    "192 kHz": lambda: (click_track(CLICKS, duration=14.5, rate=192_000), 192_000),
    "six channels": lambda: (np.tile(click_track(CLICKS, duration=14.5)[:, None], (1, 6)), SOUND_RATE),
    "clipped": lambda: (np.clip(20 * click_track(CLICKS, duration=14.5), -1, 1), SOUND_RATE),
    "an offset": lambda: (0.5 + 0.4 * click_track(CLICKS, duration=14.5), SOUND_RATE),
}


@pytest.mark.parametrize("name", ODD_SOUND)
def test_odd_sound_has_the_same_beats(name):
    sound, rate = ODD_SOUND[name]()
    found = heard(sound, rate)
    assert found.is_steady
    assert found.tempo == pytest.approx(120, abs=0.02)
    assert np.abs(times_of(found) - np.round(times_of(found) * 2) / 2).max() < 0.002


def test_numbers_that_are_none_become_silence(tmp_path):
    sound = click_track(CLICKS, duration=14.5)
    sound[40_000:41_000], sound[90_000] = np.nan, np.inf
    found = hear_song(write_sound(tmp_path / "song.wav", sound, codec="pcm_f32le")).listening
    assert found.tempo == pytest.approx(120, abs=0.02)


def test_the_demo_is_heard_as_it_was_composed():
    truth = json.loads(TRUTH_FILE.read_text())
    found = hear_song(SONG_FILE).listening
    assert found.is_steady
    assert found.tempo == pytest.approx(truth["tempo"], abs=0.02)
    assert times_of(found) == pytest.approx(truth["beats"], abs=EXACT_SECONDS)
    downbeats = [beat.time for beat in found.beats if beat.place == 1]
    assert downbeats == pytest.approx(truth["downbeats"], abs=EXACT_SECONDS)


def test_a_song_is_listened_to_once(tmp_path):
    path = write_sound(tmp_path / "song.flac", click_track(np.arange(0, 8, 0.5), duration=8))
    first = hear_song(path)
    kept = [file for file in cache_folder().iterdir() if file.name.startswith(first.fingerprint)]
    assert len(kept) == 1
    renamed = path.rename(tmp_path / "other.flac")
    written_at = kept[0].stat().st_mtime_ns
    again = hear_song(renamed)
    assert kept[0].stat().st_mtime_ns == written_at
    assert again.listening.beats == first.listening.beats
    assert np.abs(again.listening.waveform - first.listening.waveform).max() <= 0.5 / 255 + 1e-6
    kept[0].write_bytes(b"broken")  # a broken cache costs time, nothing else
    assert hear_song(renamed).listening.beats == first.listening.beats


def test_the_waveform_nests_and_tells_low_from_high():
    t = np.arange(2 * SOUND_RATE) / SOUND_RATE
    low = np.where(t < 1, np.sin(2 * np.pi * 60 * t), 0)
    high = np.where(t >= 1, 0.5 * np.sin(2 * np.pi * 6000 * t), 0)
    columns = waveform_columns((low + high).astype(np.float32), SOUND_RATE)
    assert columns.shape == (2 * COLUMNS_PER_SECOND, 3)
    assert (np.diff(columns, axis=1) >= -1e-6).all()
    assert 0 <= columns.min() <= columns.max() <= 1
    first, second = columns[20:180].mean(axis=0), columns[220:380].mean(axis=0)
    assert first[0] < 0.05 * first[2]
    assert second[0] > 0.9 * second[2]
    assert second[2] == pytest.approx(first[2] / 2, rel=0.4)  # low columns hold part of a period
