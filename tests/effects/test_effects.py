"""The contract of every effect, and what a declaration must say."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, rest_and_peak
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Setting
from epiphane.effects.declare import EFFECTS, Family, FrameContext, Need, effect
from epiphane.effects.operations import Tone, ToneCurve, Warp
from epiphane.errors import ParameterError
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of

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


def drawn(key, level, *settings, picture=None, frame=0, seed=1):
    made = EFFECTS.named(key)
    picture = a_picture() if picture is None else picture
    size = (picture.shape[1], picture.shape[0])
    context = FrameContext(size[0] / size[1], frame, 30.0, seed)
    lane = Lane(LaneId(1), key, PulseId(1), settings=settings, seed=seed)
    values = made.values_at(lane.settings, level, context)
    plan = plan_of(Shown(SourceFrame("a", "a", 0.0)), size, (ActiveEffect(key, made.version, values),))
    return draw(plan, OnePicture(picture), size)


def smooth(size=(320, 180)):
    x, y = np.meshgrid(np.linspace(0, 7, size[0]), np.linspace(0, 4, size[1]))
    return np.dstack([130 + 90 * np.sin(a * x + b * y) for a, b in ((1, 0.5), (0.4, 1.2), (0.8, -1))]).astype(
        np.uint8
    )


def needs_other_frames(made):
    return not all(one is None for one in (made.retime, made.echoes, made.held))


every_effect = pytest.mark.parametrize("made", EFFECTS.all(), ids=lambda made: made.key)


@every_effect
def test_every_effect_keeps_the_contract(made):
    for size in (SIZE, (2, 2), (3, 5), (7, 2)):
        picture = np.random.default_rng(1).integers(0, 256, (size[1], size[0], 3), np.uint8)
        before = picture.copy()
        for level in (0.0, 0.001, 0.3, 1.0, 2.0):
            result = drawn(made.key, level, picture=picture, frame=4)
            assert result.shape == picture.shape
            assert result.dtype == np.uint8
            assert np.array_equal(result, drawn(made.key, level, picture=picture, frame=4))
            assert np.array_equal(picture, before)
        assert np.array_equal(drawn(made.key, 0.0, picture=picture), picture)  # at rest it does nothing
    if not needs_other_frames(made):
        assert not np.array_equal(drawn(made.key, 1.0), a_picture())
    assert made.summary
    assert made.version >= 1


@every_effect
def test_there_is_no_step_where_an_effect_begins_and_half_is_between(made):
    picture = smooth()
    change = [
        np.abs(drawn(made.key, level, picture=picture).astype(float) - picture).mean()
        for level in (0.001, 0.5, 1.0)
    ]
    barely = drawn(made.key, 0.001, picture=picture).astype(float)
    assert np.abs(barely.mean(axis=(0, 1)) - picture.mean(axis=(0, 1))).max() < 0.35
    assert change[0] < 1.2
    if made.key not in ("sweep", "tiles"):  # a band crosses, a wall of other tiles is no stronger one
        assert change[1] <= change[2] + 0.5
    if made.key != "sharpen" and not needs_other_frames(made):  # there is no edge in this picture
        assert change[2] > 0.1


def detailed(size=(320, 180)):
    """Return a picture with a lit wall, lamps, an edge at every angle, lettering and fine texture."""
    width, height = size
    x, y = np.meshgrid(np.linspace(-1, 1, width), np.linspace(-1, 1, height))
    wall = 60 + 110 * np.exp(-2 * ((x - 0.3) ** 2 + y**2))
    texture = np.random.default_rng(3).normal(0, 4, (height, width, 1))
    wall = wall[..., None] * (0.75, 0.95, 1.0) + texture
    picture = np.ascontiguousarray(np.clip(wall, 0, 255).astype(np.uint8))
    for number in range(9):
        at = int(width * (0.08 + 0.1 * number)), int(height * (0.25 + 0.5 * (number % 3) / 2))
        colour = [(40, 60, 200), (200, 120, 40), (60, 180, 70)][number % 3]
        cv2.circle(picture, at, width // 22, colour, -1, cv2.LINE_AA)
        cv2.circle(picture, (at[0] + 6, at[1] - 6), 3, (250, 255, 255), -1, cv2.LINE_AA)
        cv2.line(picture, at, (width - at[0], height - 5 * number), (20, 30, 40), 2, cv2.LINE_AA)
    at = width // 3, int(height * 0.95)
    cv2.putText(picture, "ROLL 7", at, cv2.FONT_HERSHEY_SIMPLEX, 1, (235, 235, 235), 2, cv2.LINE_AA)
    return picture


@every_effect
def test_every_effect_is_seen_at_a_glance_at_full_level(made):
    """Twelve levels on the mean, or sixty on a tenth of the picture, but for what needs time to be seen."""
    if needs_other_frames(made) or made.key == "grade":  # that is as strong as it is set
        return
    picture = detailed()
    apart = np.abs(drawn(made.key, 1.0, picture=picture, frame=4).astype(int) - picture).max(axis=2)
    assert apart.mean() >= 12 or np.quantile(apart, 0.9) >= 60, (apart.mean(), np.quantile(apart, 0.9))


@every_effect
def test_every_effect_does_a_picture_as_wide_as_8k(made):
    picture = np.zeros((270, 7680, 3), np.uint8)
    picture[::2] = 200
    result = drawn(made.key, 1.0, picture=picture, frame=4)
    assert result.shape == picture.shape
    assert result.dtype == np.uint8


MAY_DARKEN = {
    *("blackout", "scanlines", "vignette", "letterbox", "grain", "exposure", "contrast", "invert"),
    *("ripple", "neon-outline", "halftone", "tunnel", "bit-crush", "signal-loss", "feedback"),
    *("letters", "old-tube", "broken-tape", "fold", "shatter"),
}


@every_effect
def test_no_effect_shows_an_empty_border(made):
    """A bright picture stays bright to its very edges, but for what is meant to darken or colour it."""
    bright = np.full((90, 160, 3), 200, np.uint8)
    if made.key in MAY_DARKEN or made.family in (Family.COLOUR, Family.LIGHT):
        return
    for level in (0.4, 1.0, 2.0):
        assert drawn(made.key, level, picture=bright, frame=7).min() >= 190, level


FINE = {
    *("grain", "scanlines", "interlace", "halftone", "bit-crush", "signal-loss"),
    *("letters", "old-tube", "pencil", "palette", "pixel-sort"),
}
"""Effects whose detail is as fine as a pixel."""


@every_effect
def test_a_preview_looks_like_the_export(made):
    """Lengths are shares of the width: half the size shows the same, but for grain finer than a pixel."""
    if made.key in FINE:
        return
    large, small = smooth((640, 360)), smooth((320, 180))
    seen = drawn(made.key, 0.8, picture=large, frame=5).astype(float)
    halved = seen.reshape(180, 2, 320, 2, 3).mean(axis=(1, 3))
    assert np.abs(halved - drawn(made.key, 0.8, picture=small, frame=5)).mean() < 3


def test_an_effect_that_moves_is_the_same_in_every_order_and_another_with_another_seed():
    moving = [
        made
        for made in EFFECTS.all()
        if Need.TIME in made.needs and not needs_other_frames(made) and made.key != "letters"
    ]
    assert len(moving) >= 6
    for made in moving:
        frames = {n: drawn(made.key, 1.0, frame=n) for n in (9, 0, 17)}
        assert all(np.array_equal(drawn(made.key, 1.0, frame=n), seen) for n, seen in frames.items())
        assert len({seen.tobytes() for seen in frames.values()}) > 1
    for key in ("shake", "blocks", "tear", "grain"):
        assert not np.array_equal(drawn(key, 1.0, frame=9), drawn(key, 1.0, frame=9, seed=2))


@every_effect
def test_every_parameter_is_labelled_and_takes_any_value_of_a_file(made):
    for parameter in made.parameters:
        assert parameter.label
        for odd in (float("nan"), 1e300, -1e300, "marble", ""):
            lane = Lane(LaneId(1), made.key, PulseId(1), settings=(Setting(parameter.name, odd, None),))
            for level in (0.0, 1.0):
                made.operations(made.values_at(lane.settings, level))
                drawn(made.key, level, Setting(parameter.name, odd, None))


@given(st.floats(0, 2), st.floats(-50, 150), st.floats(-50, 150))
def test_values_go_from_rest_to_peak_by_the_level_within_their_range(level, rest, peak):
    made = EFFECTS.named("flash")
    parameter = made.parameter("opacity")
    setting = Setting("opacity", peak, rest)
    low, high = rest_and_peak(parameter, setting)
    assert 0 <= low <= 100
    assert 0 <= high <= 100
    value = dict(made.values_at((setting,), level))["opacity"]
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
    made = EFFECTS.named("zoom")
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
    assert EFFECTS.find("marble") is None
    with pytest.raises(ParameterError, match=r"no effect 'marble'; there are: .*flash.*zoom"):
        EFFECTS.named("marble")


NUMBER = Parameter("reach", "Reach", "%", low=0, high=100, rest=0, peak=50)


@pytest.mark.parametrize(
    ("key", "parameters", "words"),
    [
        ("flash", (NUMBER,), "key is taken"),
        ("new", (NUMBER, NUMBER), "two parameters have one name"),
        (
            "new",
            (Parameter("seed", "S", "", low=0, high=1, rest=0, peak=1),),
            "seed is what an effect",
        ),
        ("new", (Parameter("reach", "R", "%", low=0, high=1, rest=0, peak=2),), r"must be in 0\.\.1"),
        ("new", (ColourParameter("reach", "R", "red"),), "no #rrggbb"),
        ("new", (ChoiceParameter("reach", "R", ("a", "b"), "c"),), "default is no option"),
    ],
)
def test_a_wrong_declaration_stops_the_import(key, parameters, words):
    EFFECTS.all()
    with pytest.raises(ValueError, match=words):
        effect(key=key, version=1, family=Family.LIGHT, label="New", parameters=parameters)(
            lambda values: Tone(np.eye(3, 4) * (1 + 0 * values.reach))
        )
    assert EFFECTS.find("new") is None


def test_an_effect_may_only_ask_for_what_it_declares():
    with pytest.raises(AttributeError, match="'grasp' is asked for, and is not declared"):
        effect(key="new", version=1, family=Family.LIGHT, label="New", parameters=(NUMBER,))(
            lambda values: ToneCurve(np.full((256, 3), values.grasp))
        )
    assert EFFECTS.find("new") is None
