"""Taps: the delay of ear and hand, and where they go."""

import numpy as np
import pytest
from helpers import a_song
from hypothesis import assume, given
from hypothesis import strategies as st

from epiphane.desk.control.taps import CLICK_TEMPO, N_CLICKS, measured_delay, snapped_to_beats, taken_taps
from epiphane.desk.engine.ticks import tick_sound, with_ticks
from epiphane.document.song import Hit
from epiphane.files.settings import Settings, keep_settings, read_settings

CLICKS = 0.6 + np.arange(N_CLICKS) * 60 / CLICK_TEMPO


@given(st.floats(-0.05, 0.25), st.floats(0, 0.02), st.integers(0, 1000), st.integers(0, 4))
def test_a_delay_is_measured_through_jitter_and_missed_clicks(delay, jitter, seed, n_missed):
    rng = np.random.default_rng(seed)
    taps = CLICKS + delay + rng.normal(0, jitter, N_CLICKS)
    taps = np.delete(taps, rng.choice(N_CLICKS, n_missed, replace=False))
    found = measured_delay(CLICKS, taps)
    assert found == pytest.approx(delay, abs=0.001 + 1.5 * jitter)


@given(st.lists(st.floats(0, 11), max_size=40))
def test_wild_taps_are_never_taken_for_a_delay_out_of_reach(taps):
    found = measured_delay(CLICKS, np.array(taps))
    assert found is None or abs(found) < 0.35
    assert measured_delay(CLICKS, np.array(taps[:5])) is None


@given(st.floats(0, 0.2), st.floats(0, 0.02), st.integers(0, 1000))
def test_taps_with_a_known_delay_come_out_where_they_were_meant(delay, jitter, seed):
    song = a_song(tempo=100)
    meant = np.array([beat.time for beat in song.beats[2:20]])
    late = meant + delay + np.clip(np.random.default_rng(seed).normal(0, jitter, len(meant)), -0.06, 0.06)
    hits = taken_taps(late.tolist(), delay)
    assert np.abs([hit.time for hit in hits] - meant).max() <= 0.0601
    snapped = snapped_to_beats(hits, song)
    assert [hit.time for hit in snapped] == meant.tolist()


def test_taps_before_the_song_are_left_out():
    assert [hit.time for hit in taken_taps([0.02, 0.01, 0.5], 0.1)] == [0.4]


def test_settings_are_kept_and_broken_ones_are_the_usual(tmp_path, monkeypatch):
    monkeypatch.setattr("platformdirs.user_config_dir", lambda *_: str(tmp_path / "epiphane"))
    assert read_settings() == Settings()
    assert keep_settings(Settings(tap_delay=0.07))
    assert read_settings().tap_delay == 0.07
    (tmp_path / "epiphane" / "settings.json").write_text("{")
    assert read_settings() == Settings()


@given(st.lists(st.floats(0, 1.9), min_size=1, max_size=12, unique=True), st.floats(0, 1))
def test_ticks_begin_on_their_hits_and_leave_the_rest_alone(times, strength):
    times = sorted(times)
    assume(min(np.diff(times), default=1) > 0.05)
    rate = 8000
    sound = np.full((2 * rate, 2), 0.1, np.float32)
    song = a_song()
    mixed = with_ticks(sound, rate, tuple(Hit(time, strength) for time in times), song.beats)
    changed = np.flatnonzero((mixed != sound).any(axis=1))
    starts = changed[np.concatenate([[True], np.diff(changed) > 20])]
    assert np.abs(starts - np.round(np.array(times) * rate)).max() <= 1
    assert np.abs(mixed).max() <= 1
    high, low = (np.abs(np.fft.rfft(tick_sound(rate, is_high=kind)[:, 0])).argmax() for kind in (True, False))
    assert high > low
