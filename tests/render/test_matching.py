"""Grades that are worked out: what was picked comes out grey, and a picture as another one."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.document.lane import Setting
from epiphane.effects.declare import EFFECTS
from epiphane.render.grading import graded
from epiphane.render.matching import Neutral, matched, neutralised

GRADE = EFFECTS.named("grade")
LUMA = np.array([0.0722, 0.7152, 0.2126])
AT_REST = dict(GRADE.values_at((), 0.0))


def drawn(picture, values):
    done = GRADE.operations(tuple(values.items()))
    return graded(picture, done[0].steps) if done else picture


def a_picture(seed):
    rng = np.random.default_rng(seed)
    rows = np.clip(rng.normal(0, 1, (40, 60, 3)).cumsum(axis=0).cumsum(axis=1), -200, 200)
    low, high = rows.min(axis=(0, 1)), rows.max(axis=(0, 1))
    return np.rint(40 + 150 * (rows - low) / (high - low)).astype(np.uint8)


@settings(max_examples=25)
@given(st.tuples(*[st.integers(95, 150)] * 3), st.sampled_from(list(Neutral)), st.floats(80, 130))
def test_a_colour_that_is_picked_becomes_grey_whatever_else_is_set(colour, wanted, contrast):
    if wanted is Neutral.BLACK:
        colour = tuple(channel // 4 for channel in colour)
    values = AT_REST | {"contrast": contrast, "saturation": 120.0}
    found = values | neutralised(colour, wanted, values)
    (out,) = drawn(np.full((1, 1, 3), colour, np.uint8), found)[0].astype(float)
    at_an_end = 100 in (abs(found["warmth"]), abs(found["green"]))
    if wanted is not Neutral.BLACK:
        assert np.ptp(out) <= 3 or at_an_end
    if wanted is Neutral.WHITE and not at_an_end:
        assert out == pytest.approx(0.95 * 255, abs=3)
    if wanted is Neutral.BLACK:
        assert LUMA @ out <= 0.02 * 255 + 3 or found["shadows"] == -100


@settings(max_examples=12)
@given(st.integers(0, 50), st.floats(-0.6, 0.6), st.floats(-60, 60), st.floats(-30, 30), st.floats(60, 140))
def test_a_picture_gets_the_light_and_colour_of_another(seed, exposure, warmth, green, saturation):
    picture = a_picture(seed)
    changed = {"exposure": exposure, "warmth": warmth, "green": green, "saturation": saturation}
    other = drawn(picture, AT_REST | changed)
    values = AT_REST | {"shadows_colour": 8.0, "shadows_hue": 200.0}
    after = drawn(picture, values | matched(picture, other, values)).astype(float)

    def off(one):
        light = ((one / 255) ** 2.2).mean(axis=(0, 1)) - ((other / 255) ** 2.2).mean(axis=(0, 1))
        return np.abs(light).max(), abs((one @ LUMA).std() - (other @ LUMA).std())

    plain = drawn(picture, values).astype(float)
    assert off(after)[0] < 0.03 + 0.25 * off(plain)[0] and off(after)[1] < 5


def test_pictures_without_any_contrast_or_colour_are_no_fault():
    flat, black = np.full((2, 2, 3), 128, np.uint8), np.zeros((1, 1, 3), np.uint8)
    for picture in (flat, black):
        for other in (flat, black):
            found = matched(picture, other, AT_REST)
            for name, value in found.items():
                assert GRADE.parameter(name).low <= value <= GRADE.parameter(name).high
    assert dict(GRADE.values_at((Setting("warmth", 12.0),), 1.0))["warmth"] == 12.0
