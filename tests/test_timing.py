from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.errors import ParameterError
from epiphane.timing import (
    BOUNDARY_SECONDS,
    COMMON_RATES,
    clock_text,
    frame_at,
    frame_start,
    frames_at,
    frames_covering,
    nearest_common_rate,
    parse_rate,
    rate_text,
    timecode,
)

rates = st.sampled_from(COMMON_RATES)


@given(st.integers(0, 2_000_000), rates)
def test_a_frame_is_on_screen_from_its_start_to_the_next(frame, rate):
    assert frame_at(frame_start(frame, rate), rate) == frame
    assert frame_at(frame_start(frame + 1, rate) - 2 * BOUNDARY_SECONDS, rate) == frame
    assert frames_covering(frame_start(frame, rate), rate) == frame


@given(st.lists(st.floats(0, 40_000), min_size=1), rates)
def test_the_array_form_says_the_same(seconds, rate):
    assert frames_at(np.array(seconds), rate).tolist() == [frame_at(s, rate) for s in seconds]


@given(st.integers(0, 400_000), rates)
def test_timecode_counts_every_frame_once(frame, rate):
    minutes, rest = timecode(frame, rate).split(":")
    seconds, frames = map(int, rest.split("."))
    whole = 60 * int(minutes) + seconds
    first = -(-whole * rate.numerator // rate.denominator)
    assert first + frames == frame
    assert 0 <= frames < -(-rate.numerator // rate.denominator)


@pytest.mark.parametrize("seconds", [float("nan"), float("inf")])
def test_no_frame_is_at_no_time(seconds):
    with pytest.raises(ParameterError, match="finite"):
        frame_at(seconds, Fraction(30))


@pytest.mark.parametrize("rate", COMMON_RATES)
def test_a_rate_is_read_as_it_is_written(rate):
    assert parse_rate(str(rate)) == rate
    assert parse_rate(rate_text(rate)) == rate
    assert nearest_common_rate(rate * Fraction(100_001, 100_000)) == rate


@pytest.mark.parametrize("text", ["", "fast", "0", "-30", "1/0", "1000", "30 fps"])
def test_what_is_no_rate_is_refused(text):
    with pytest.raises(ParameterError, match="frame rate"):
        parse_rate(text)


def test_lengths_are_told_as_a_clock_does():
    assert [clock_text(s) for s in (0, 59.9, 61, 3600, 10_799)] == [
        "0:00",
        "0:59",
        "1:01",
        "1:00:00",
        "2:59:59",
    ]
