"""What people write of a place is the frame that it means."""

from fractions import Fraction

import pytest
from helpers import a_project

from epiphane.errors import ParameterError
from epiphane.facts.grid import bars_of
from epiphane.facts.places import parse_place, place_text
from epiphane.timing import frame_at

RATE = Fraction(30)
BARS = bars_of(a_project())


@pytest.mark.parametrize(
    ("text", "frame"),
    [
        ("f 350", 350),
        ("350f", 350),
        ("0:04", 120),
        ("1:04.5", 1935),
        ("1:00:00", 108_000),
        (" 2.5 s", 75),
        ("2,5s", 75),
        ("2", frame_at(BARS[1].start, RATE)),
        ("2.3", frame_at(BARS[1].beats[2], RATE)),
        ("2.1", frame_at(BARS[1].start, RATE)),
    ],
)
def test_places(text, frame):
    assert parse_place(text, BARS, RATE) == frame


@pytest.mark.parametrize("text", ["", "x", "99", "2.9", "1:2:3:4", "f", "-", "9" * 50, "\0"])
def test_what_is_no_place_is_said(text):
    with pytest.raises(ParameterError, match=r"a place is|there is no bar|bar 2 has"):
        parse_place(text, BARS, RATE)


def test_the_place_of_every_beat_is_written_as_it_is_read():
    beats = [(bar, time) for bar in BARS for time in bar.beats or [bar.start]]
    assert len(beats) > 8
    for bar, time in beats:
        frame = frame_at(time, RATE)
        text = place_text(frame, BARS, RATE)
        assert parse_place(text, BARS, RATE) == frame, (bar, text)
        assert place_text(frame + 1, BARS, RATE) == text  # until the next beat
