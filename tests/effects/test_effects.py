"""The contract of every effect, and what a declaration must say."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.model import Lane, LaneId, PulseId, Setting
from epiphane.effects.declare import (
    ChoiceParameter,
    ColourParameter,
    Family,
    Parameter,
    effect,
    rest_and_peak,
)
from epiphane.effects.operations import Curve, Tone, Warp
from epiphane.effects.registry import all_effects, effect_named, find_effect
from epiphane.errors import ParameterError
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.plan import ActiveEffect, FramePlan, SourceFrame

SIZE = (96, 64)


class OnePicture:
    """The sources of a plan: one picture, whatever is asked for."""

    def __init__(self, picture):
        self._raw = raw_from_bgr(picture)

    def picture(self, source):
        return self._raw


def a_picture(seed=1):
    rng = np.random.default_rng(seed)
    return rng.integers(0, 256, (SIZE[1], SIZE[0], 3), np.uint8)


def drawn(key, level, *settings, picture=None):
    made = effect_named(key)
    values = made.values_at(Lane(LaneId(1), key, PulseId(1), settings=settings), level)
    plan = FramePlan(SourceFrame("a", "a", 0.0), SIZE, (ActiveEffect(key, made.version, values),))
    return draw(plan, OnePicture(a_picture() if picture is None else picture), SIZE)


@pytest.mark.parametrize("made", all_effects(), ids=lambda made: made.key)
def test_every_effect_keeps_the_contract(made):
    picture = a_picture()
    before = picture.copy()
    for level in (0.0, 0.3, 1.0, 2.0):
        result = drawn(made.key, level, picture=picture)
        assert result.shape == picture.shape
        assert result.dtype == np.uint8
        assert np.array_equal(result, drawn(made.key, level, picture=picture))
        assert np.array_equal(picture, before)
    assert np.array_equal(drawn(made.key, 0.0), picture)  # at rest it does nothing
    assert not np.array_equal(drawn(made.key, 1.0), picture)
    assert made.summary
    assert made.version >= 1


@pytest.mark.parametrize("made", all_effects(), ids=lambda made: made.key)
def test_every_parameter_is_labelled_and_takes_any_value_of_a_file(made):
    for parameter in made.parameters:
        assert parameter.label
        for odd in (float("nan"), 1e300, -1e300, "marble", ""):
            lane = Lane(LaneId(1), made.key, PulseId(1), settings=(Setting(parameter.name, odd, None),))
            for level in (0.0, 1.0):
                assert made.operations(made.values_at(lane, level))


@given(st.floats(0, 2), st.floats(-50, 150), st.floats(-50, 150))
def test_values_go_from_rest_to_peak_by_the_level_within_their_range(level, rest, peak):
    made = effect_named("flash")
    parameter = made.parameter("opacity")
    setting = Setting("opacity", peak, rest)
    low, high = rest_and_peak(parameter, setting)
    assert 0 <= low <= 100
    assert 0 <= high <= 100
    value = dict(made.values_at(Lane(LaneId(1), "flash", PulseId(1), settings=(setting,)), level))["opacity"]
    assert value == pytest.approx(min(max(low + level * (high - low), 0), 100))


def blended(mode, colour, opacity):
    settings = (Setting("blend", mode), Setting("colour", colour), Setting("opacity", 100.0 * opacity, 0.0))
    return drawn("flash", 1.0, *settings).astype(float) / 255


@pytest.mark.parametrize("opacity", [0.25, 1.0])
def test_flash_blends_as_the_standard_says(opacity):
    p, c = a_picture() / 255, np.array([0x33, 0x66, 0xCC])[::-1] / 255
    expected = {
        "screen": p + opacity * c * (1 - p),
        "add": np.minimum(p + opacity * c, 1),
        "overlay": p + opacity * (np.where(p <= 0.5, 2 * p * c, 1 - 2 * (1 - p) * (1 - c)) - p),
    }
    for mode, wanted in expected.items():
        assert blended(mode, "#3366cc", opacity) == pytest.approx(wanted, abs=0.51 / 255)


def test_a_white_flash_at_full_depth_is_white():
    assert blended("screen", "#ffffff", 1.0).min() == 1.0


@given(st.floats(100, 400), st.floats(0, 100), st.floats(0, 100))
def test_zoom_keeps_its_centre_in_place(scale, x, y):
    made = effect_named("zoom")
    values = (("scale", scale), ("centre_x", x), ("centre_y", y))
    (warp,) = made.operations(values)
    assert isinstance(warp, Warp)
    point = np.array([x / 100, y / 100, 1.0])
    assert warp.matrix @ point == pytest.approx(point)
    corners = warp.matrix @ np.array([[0, 1, 0, 1], [0, 0, 1, 1], [1, 1, 1, 1.0]])
    # Enlarged, the picture covers the frame: no corner comes inside it.
    assert corners[:2].min() <= 1e-9
    assert corners[:2].max() >= 1 - 1e-9


@pytest.mark.parametrize("scale", [50.0, 80.0, 130.0, 400.0])
def test_zoom_never_shows_an_empty_border(scale):
    bright = np.full((SIZE[1], SIZE[0], 3), 200, np.uint8)
    assert drawn("zoom", 1.0, Setting("scale", scale, 100.0), picture=bright).min() == 200


def test_an_unknown_effect_is_named_with_those_there_are():
    assert find_effect("marble") is None
    with pytest.raises(ParameterError, match=r"no effect 'marble'; there are: .*flash.*zoom"):
        effect_named("marble")


NUMBER = Parameter("reach", "Reach", "%", low=0, high=100, rest=0, peak=50)


@pytest.mark.parametrize(
    ("key", "parameters", "words"),
    [
        ("flash", (NUMBER,), "key is taken"),
        ("new", (NUMBER, NUMBER), "two parameters have one name"),
        ("new", (Parameter("reach", "R", "%", low=0, high=1, rest=0, peak=2),), r"must be in 0\.\.1"),
        ("new", (ColourParameter("reach", "R", "red"),), "no #rrggbb"),
        ("new", (ChoiceParameter("reach", "R", ("a", "b"), "c"),), "default is no option"),
    ],
)
def test_a_wrong_declaration_stops_the_import(key, parameters, words):
    all_effects()
    with pytest.raises(ValueError, match=words):
        effect(key=key, version=1, family=Family.LIGHT, label="New", parameters=parameters)(
            lambda values: Tone(np.eye(3, 4) * (1 + 0 * values.reach))
        )
    assert find_effect("new") is None


def test_an_effect_may_only_ask_for_what_it_declares():
    with pytest.raises(AttributeError, match="asks for 'grasp', which it does not declare"):
        effect(key="new", version=1, family=Family.LIGHT, label="New", parameters=(NUMBER,))(
            lambda values: Curve(np.full((256, 3), values.grasp))
        )
    assert find_effect("new") is None
