"""Hits of a band: where they are planted, however the band and the threshold lie."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.audio.bands import attacks_near, band_hits
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples

RATE = 44_100
LOW_HITS = np.arange(0.5, 9.5, 0.75)
HIGH_HITS = np.arange(0.31, 9.5, 0.4)


def burst(hertz, fall, level):
    seconds = np.arange(int(0.25 * RATE)) / RATE
    return level * np.sin(2 * np.pi * hertz * seconds) * np.exp(-seconds / fall)


@pytest.fixture(scope="module")
def levels():
    """Low bursts over a bass that never falls silent, and high ones beside them."""
    seconds = np.arange(10 * RATE) / RATE
    sound = 0.05 * np.sin(2 * np.pi * 75 * seconds)
    for times, shot in ((LOW_HITS, burst(60, 0.06, 0.5)), (HIGH_HITS, burst(5000, 0.02, 0.3))):
        for time in times:
            first = round(time * RATE)
            sound[first : first + len(shot)] += shot[: len(sound) - first]
    return listen(Samples(sound.astype(np.float32)[:, None], RATE)).levels


@pytest.mark.parametrize(("low", "high", "planted"), [(40, 150, LOW_HITS), (3000, 8000, HIGH_HITS)])
def test_each_band_has_its_own_hits_on_their_attacks(levels, low, high, planted):
    found = band_hits(levels, low, high, 0.85, 0.1)
    assert len(found) == len(planted)
    off = np.abs(found[:, 0] - planted)
    assert np.median(off) < 0.003
    assert off.max() < 0.012
    assert (found[:, 1] > 0.25).all()


@given(st.floats(20, 15_000), st.floats(1.01, 30), st.floats(0.05, 1), st.floats(0.02, 1))
def test_hits_are_in_order_apart_and_fewer_over_a_higher_gap(levels, low, ratio, threshold, gap):
    found = band_hits(levels, low, low * ratio, threshold, gap)
    assert (np.diff(found[:, 0]) >= gap - 1e-9).all()
    assert ((found[:, 1] >= 0) & (found[:, 1] <= 1)).all()
    assert len(band_hits(levels, low, low * ratio, threshold, 2 * gap)) <= len(found)


def test_a_threshold_above_everything_or_none_at_all_has_no_hits(levels):
    silent = listen(Samples(np.zeros((RATE * 3, 1), np.float32), RATE))
    assert silent.levels is None
    assert len(band_hits(levels, 40, 150, 1.01, 0.1)) == 0
    assert len(band_hits(levels, 40, 150, 0.0, 0.1)) == 0


def test_the_level_is_loudest_where_the_band_is_struck(levels):
    level = levels.level(3000, 8000)
    assert level.max() == 1.0
    struck = level[np.round(HIGH_HITS * 100).astype(int) + 1]
    between = level[np.round((HIGH_HITS[:-1] + 0.3) * 100).astype(int)]
    assert struck.min() > between.max() + 0.2
    assert np.abs(attacks_near(levels, HIGH_HITS + 0.02) - HIGH_HITS).max() < 0.003
    assert np.isnan(attacks_near(levels, np.array([0.1]), reach=0.05)).all()
