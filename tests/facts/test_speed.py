"""Where a speed leads in footage: closed forms against exact sums, and its inverse against looking."""

from fractions import Fraction

import pytest
from helpers import some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import FootageId, ItemId
from epiphane.document.timeline import Pin, Ramp, SpeedKey, cut_of, footage_item
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import started_at
from epiphane.facts.source_time import frame_showing, running_seconds, running_span, source_seconds
from epiphane.facts.speed import frames_run, speed_at
from epiphane.timing import COMMON_RATES, frame_start

HUNDREDTHS = st.integers(-400, 400).map(lambda n: n / 100)


@st.composite
def curves(draw):
    frames = sorted(draw(st.sets(st.integers(-60, 160), min_size=1, max_size=6)))
    return tuple(SpeedKey(frame, draw(HUNDREDTHS), draw(st.sampled_from(Ramp))) for frame in frames)


@st.composite
def shots(draw):
    """Return a shot of 90 frames with a curve, on a hit or free, and the rate of the project."""
    rate = draw(st.sampled_from(COMMON_RATES))
    shot = footage_item(ItemId(1), FootageId(1), 30, 90, source_start=draw(st.integers(0, 5)))
    shot = replace(shot, content=replace(cut_of(shot), speed=draw(curves())))
    hit = draw(st.none() | st.integers(30, 119))
    return (shot if hit is None else pinned(shot, Pin(2.5, frame_start(hit, rate) + 0.001), rate)), rate


@given(curves(), st.integers(-80, 200))
def test_the_run_over_a_frame_is_what_the_speeds_within_it_come_to(curve, frame):
    n_steps = 400
    middles = (speed_at(curve, frame + (n + 0.5) / n_steps) for n in range(n_steps))
    expected = sum(middles) / n_steps
    assert frames_run(curve, frame + 1) - frames_run(curve, frame) == pytest.approx(expected, abs=1e-4)
    assert frames_run(curve, 0) == 0


@given(shots(), st.integers(31, 118))
def test_a_curve_stays_where_it_is_when_a_shot_is_trimmed_pinned_or_let_go(made, frame):
    shot, rate = made
    before = [running_seconds(shot, n, rate) for n in range(frame, 120)]
    moment = Pin(running_seconds(shot, frame, rate), frame_start(frame, rate) + 0.001)
    changed = [started_at(shot, frame, rate), pinned(shot, None, rate)]
    if moment.moment >= 0:
        changed.append(pinned(pinned(shot, None, rate), moment, rate))
    for one in changed:
        assert [running_seconds(one, n, rate) for n in range(frame, 120)] == pytest.approx(before, abs=1e-6)
    if shot.pin is not None:
        assert running_seconds(shot, 30 + shot_hit(shot, rate), rate) == pytest.approx(2.5, abs=1e-8)


def shot_hit(shot, rate):
    return int((shot.pin.hit + 1e-4) * rate) - 30


@given(shots(), st.floats(-1, 9))
def test_the_frame_that_shows_an_instant_is_the_first_that_has_come_to_it(made, seconds):
    shot, rate = made
    shown = [running_seconds(shot, n, rate) for n in range(shot.start, shot.end)]
    low, high = running_span(shot, rate)
    assert low - 1e-9 <= min(shown) <= max(shown) <= high + 1e-9
    found = frame_showing(shot, seconds, rate)
    passed = [
        n + shot.start
        for n, (before, here) in enumerate(zip([shown[0], *shown], shown, strict=False))
        if min(before, here) - 1e-4 <= seconds <= max(before, here) + 1e-4
    ]
    assert found == (passed[0] if passed else None)


def test_backwards_and_still_footage_shows_only_frames_that_exist():
    clip, rate = some_footage(1, duration=2.0), Fraction(30)
    for speed in (-1.0, 0.0, -20.0, (SpeedKey(0, -1.0), SpeedKey(40, 8.0))):
        shot = footage_item(ItemId(1), FootageId(1), 0, 200, source_start=1.0, speed=speed)
        for frame in range(200):
            assert 0 <= source_seconds(shot, clip, frame, rate) < 2.0
    frozen = footage_item(ItemId(1), FootageId(1), 0, 9, source_start=1.0, speed=0.0)
    assert {source_seconds(frozen, clip, frame, rate) for frame in range(9)} == {1.0}
    with pytest.raises(ValueError, match="must ascend"):
        footage_item(ItemId(1), FootageId(1), 0, 9, speed=(SpeedKey(3, 1.0), SpeedKey(3, 2.0)))
