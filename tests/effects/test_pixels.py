"""Effects with a closed form do what it says, to a level or two."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Setting
from epiphane.effects.declare import EFFECTS, FrameContext
from epiphane.effects.pixels import LUMA, blurred, smooth_noise
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.fuse import power_of
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of


class One:
    def __init__(self, picture):
        self._raw = raw_from_bgr(picture)

    def picture(self, source):
        return self._raw


def drawn(picture, *stack, level=1.0, frame=0):
    """Draw effects, each a key with its settings, over a picture."""
    size = (picture.shape[1], picture.shape[0])
    active = []
    for key, settings in stack:
        made = EFFECTS.named(key)
        lane = Lane(LaneId(1), key, PulseId(1), settings=tuple(Setting(n, v) for n, v in settings.items()))
        values = made.values_at(lane.settings, level, FrameContext(size[0] / size[1], frame))
        active.append(ActiveEffect(key, made.version, values))
    plan = plan_of(Shown(SourceFrame("a", "a", 0.0)), size, tuple(active))
    return draw(plan, One(picture), size).astype(float)


def noise(size=(64, 48), seed=0):
    return np.random.default_rng(seed).integers(0, 256, (size[1], size[0], 3), np.uint8)


def luma(picture):
    return picture.astype(float) @ LUMA


NOISE = noise()


def light(picture):
    """Return the light of levels, 0 to 1, by the curve of IEC 61966-2-1."""
    shares = picture / 255
    return np.where(shares <= 0.04045, shares / 12.92, ((shares + 0.055) / 1.055) ** 2.4)


def levels(of_light):
    return 255 * np.where(of_light <= 0.0031308, 12.92 * of_light, 1.055 * of_light ** (1 / 2.4) - 0.055)


def exposed(picture, stops, *, lift=0.0):
    """Return a picture at another exposure with a whole shoulder, and light added to all of it."""
    gain, bent = 2.0**stops, light(picture) * 2.0**stops
    excess, most = np.maximum(bent - 0.5, 0) / 0.5, (gain - 0.5) / 0.5
    bent = np.where(bent > 0.5, 0.5 + 0.5 * excess * (1 + excess / most**2) / (1 + excess), bent)
    summed = bent + lift
    over = np.maximum(summed - 0.8, 0) / 0.2
    return levels(np.maximum(bent, np.where(summed > 0.8, 0.8 + 0.2 * over / (1 + over), summed)))


def s_curve(picture, gain, middle):
    low, high = np.tanh(-4 * (gain - 1) * middle), np.tanh(4 * (gain - 1) * (1 - middle))
    return 255 * (np.tanh(4 * (gain - 1) * (picture / 255 - middle)) - low) / (high - low)


def solarised(picture, amount):
    threshold = 1.25 - amount * 1.5
    turned = np.clip((picture / 255 - threshold) / 0.25 + 0.5, 0, 1)
    return picture + turned * (255 - 2 * picture)


CREAM = np.array([0xDC, 0xF4, 0xFF]) / 255
FORMS = [
    (
        "blackout",
        {"amount": 40.0, "colour": "#204060", "takes": "levels"},
        lambda p: 0.6 * p + 0.4 * np.array([0x60, 0x40, 0x20]),
    ),
    ("blackout", {"amount": 40.0}, lambda p: levels(light(p) * 2**-3.2)),
    (
        "blackout",
        {"amount": 75.0, "colour": "#ffffff"},
        lambda p: 127.5 + 0.5 * levels(light(p) * 2**-6.0),
    ),
    ("exposure", {"stops": -2.0, "shoulder": 0.0}, lambda p: p * 2 ** (-2 / 2.2)),
    ("exposure", {"stops": -2.0}, lambda p: levels(light(p) / 4)),
    ("exposure", {"stops": 1.5}, lambda p: exposed(p, 1.5)),
    ("flash", {"opacity": 50.0, "stops": 3.0, "lift": 16.0}, lambda p: exposed(p, 1.5, lift=CREAM * 0.032)),
    ("strobe", {"opacity": 50.0, "colour": "#000000", "shows": "a colour"}, lambda p: 0.5 * p),
    ("strobe", {"opacity": 50.0}, lambda p: exposed(p, 1.7, lift=0.03)),
    ("strobe", {"shows": "negative"}, lambda p: 255 - p),
    ("strobe", {"shows": "black"}, lambda p: 0 * p),
    ("invert", {"amount": 100.0}, lambda p: 255 - p),
    ("invert", {"amount": 50.0}, lambda p: solarised(p, 0.5)),
    ("invert", {"amount": 25.0, "half_way": "mixed"}, lambda p: 0.5 * p + 63.75),
    ("negative", {"amount": 100.0}, lambda p: p + (255 - 2 * luma(p))[..., None]),
    (
        "negative",
        {"amount": 60.0},
        lambda p: p + (solarised(np.rint(luma(p)), 0.6) - np.rint(luma(p)))[..., None],
    ),
    ("saturation", {"amount": 0.0}, lambda p: np.repeat(luma(p)[..., None], 3, axis=2)),
    (
        "contrast",
        {"amount": 200.0, "middle": 50.0, "bends": "straight"},
        lambda p: 127.5 + 2 * (p - 127.5),
    ),
    ("contrast", {"amount": 160.0, "middle": 40.0}, lambda p: s_curve(p, 1.6, 0.4)),
    ("posterise", {"levels": 2.0, "by": "each colour"}, lambda p: 255.0 * (p >= 128)),
    (
        "duotone",
        {"amount": 100.0, "shadows": "#000000", "lights": "#00ff00"},
        lambda p: luma(p)[..., None] * np.array([0, 1, 0]),
    ),
    ("mirror", {"trigger": "upside down"}, lambda p: p[::-1]),
    ("mirror", {"amount": 49.0}, lambda p: p),
    ("notch", {"steps": 0.0}, lambda p: p),
]


@pytest.mark.parametrize(
    ("key", "settings", "formula"), FORMS, ids=lambda one: one if type(one) is str else ""
)
def test_the_picture_is_that_of_the_formula(key, settings, formula):
    wanted = np.clip(formula(NOISE.astype(float)), 0, 255)
    assert np.abs(drawn(NOISE, (key, settings)) - wanted).max() <= 1


@pytest.mark.parametrize("key", ["flash", "exposure", "strobe", "bloom", "sweep", "glow"])
def test_light_burns_bright_parts_first_keeps_the_drawing_and_leaves_white_alone(key):
    """Of an even ramp no level below 220 becomes white, their order stays, and no pixel becomes darker."""
    ramp = np.repeat(np.linspace(0, 255, 256).astype(np.uint8)[None, :, None], 3, axis=2).repeat(144, axis=0)
    seen = drawn(ramp, (key, {}))
    assert (seen >= ramp).all()
    assert (seen[:, -1] == 255).all()
    if key in ("flash", "exposure", "strobe"):
        assert (np.diff(seen[0, :, 1]) >= 0).all() and seen[0, 220].max() < 255
        assert len(np.unique(seen[0, :64, 1])) > 50  # darks keep their drawing


def test_what_shines_is_told_from_what_is_lit_on_any_footage():
    """A lamp of a night shines, so does a gleam of a grey day; an even wall hardly, however bright it is."""
    for ground, lamp in ((12, 250), (120, 180), (30, 70)):
        picture = np.full((180, 320, 3), ground, np.uint8)
        picture[60:66, 200:206] = lamp
        seen = drawn(picture, ("glow", {}))
        assert seen[63, 190:197].mean() - ground > 12, ground
        assert seen[150, 40].mean() - ground < 3
    wall = np.full((180, 320, 3), 220, np.uint8)
    assert np.abs(drawn(wall, ("glow", {})) - wall).max() <= 12


def test_half_of_an_inversion_is_no_even_grey():
    for key in ("invert", "negative"):
        assert drawn(NOISE, (key, {"amount": 50.0})).std() > 25


@pytest.mark.parametrize("sigma", [0.002, 0.01, 0.03, 0.08])
def test_a_blur_at_a_smaller_size_is_that_at_full_size(sigma):
    picture = cv2.GaussianBlur(noise((640, 360), 3), (0, 0), 1.2)
    wanted = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), sigma * 640, borderType=cv2.BORDER_REFLECT)
    off = blurred(picture, sigma) - wanted
    assert 10 * np.log10(255**2 / np.mean(off**2)) > 40  # dB; 4:2:0 alone gives 45


def test_a_turn_of_the_hue_keeps_brightness_and_comes_back():
    soft = (0.5 * NOISE + 64).astype(np.uint8)
    turned = drawn(soft, ("hue", {"angle": 40.0}))
    assert np.abs(luma(turned) - luma(soft)).mean() < 1
    assert np.abs(drawn(soft, ("hue", {"angle": 360.0})) - soft).max() <= 1


def test_a_quarter_turn_of_a_square_is_a_rotation():
    square = noise((40, 40))
    turned = drawn(square, ("spin", {"angle": 90.0, "scale": 100.0}))
    assert np.array_equal(turned, np.rot90(square, -1))


def test_a_slide_by_the_whole_width_shows_the_mirror_image():
    assert np.abs(drawn(NOISE, ("slide", {"across": 100.0})) - NOISE[:, ::-1]).max() <= 1


def test_a_split_moves_red_one_way_and_blue_the_other():
    with_channels_shifted = drawn(NOISE, ("split", {"offset": 100 * 4 / 64, "angle": 0.0}))
    assert np.array_equal(with_channels_shifted[:, 4:, 2], NOISE[:, :-4, 2])
    assert np.array_equal(with_channels_shifted[..., 1], NOISE[..., 1])
    assert np.array_equal(with_channels_shifted[:, :-4, 0], NOISE[:, 4:, 0])


def test_pixels_are_means_of_what_they_cover():
    coarse = drawn(NOISE, ("pixelate", {"size": 100 * 8 / 64}))
    means = NOISE.reshape(6, 8, 8, 8, 3).mean(axis=(1, 3))
    assert np.abs(coarse[::8, ::8] - means).max() <= 0.51
    assert np.abs(coarse[7::8, 7::8] - means).max() <= 0.51


@given(st.floats(-100, 100))
def test_a_bend_never_looks_beyond_the_picture_and_keeps_its_corners(amount):
    (field,) = EFFECTS.named("bend").operations((("amount", amount), ("apart", 0.0))) or (None,)
    if field is None:
        return
    x, y = np.meshgrid(np.linspace(-1, 1, 41, dtype=np.float32), np.linspace(-0.6, 0.6, 25, dtype=np.float32))
    from_x, from_y = field.source(x, y, 0.6)
    assert np.abs(from_x).max() <= 1 + 1e-5
    assert np.abs(from_y).max() <= 0.6 + 1e-5
    assert (from_x[0, 0], from_y[0, 0]) == pytest.approx((-1, -0.6), abs=1e-5)
    assert np.hypot(from_x, from_y)[12, 20] < 1e-6


def test_a_field_moves_every_pixel_by_what_it_says():
    """Against asking the field at every pixel, which is what asking it at few must come to."""
    x, y = np.meshgrid(np.linspace(0, 5, 320), np.linspace(0, 3, 180))
    picture = np.dstack([120 + 100 * np.sin(x + k * y) for k in range(3)]).astype(np.uint8)
    bent = drawn(picture, ("bend", {"amount": 60.0, "apart": 0.0}))
    (field,) = EFFECTS.named("bend").operations((("amount", 60.0), ("apart", 0.0)))
    across = ((np.arange(320) + 0.5) / 160 - 1).astype(np.float32)
    down = ((np.arange(180) + 0.5 - 90) / 160).astype(np.float32)
    from_x, from_y = field.source(*np.meshgrid(across, down), 180 / 320)
    maps = ((from_x + 1) * 160 - 0.5).astype(np.float32), (from_y * 160 + 89.5).astype(np.float32)
    wanted = cv2.remap(picture, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    assert np.abs(bent - wanted).max() <= 2


def test_a_wall_of_tiles_keeps_its_middle_tile_and_repeats_it():
    wall = drawn(noise((90, 90)), ("tiles", {"across": 3.0, "down": 3.0}))
    assert np.array_equal(wall[:30, :30], wall[30:60, 30:60])
    assert np.array_equal(wall[60:, 30:60], wall[30:60, 30:60])


def test_bars_and_borders_move_smoothly():
    bright = np.full((100, 100, 3), 200, np.uint8)
    for key, name in (("letterbox", "closed"), ("border", "width")):
        black = {"colour": "#000000"}
        sums = [drawn(bright, (key, {name: value, **black})).mean() for value in np.arange(1, 21, 0.5)]
        steps = np.diff(sums)
        assert steps.max() < 0
        assert np.abs(np.diff(steps)).max() < 0.5


@given(st.integers(0, 9999), st.floats(0, 60))
def test_noise_never_jumps_and_stays_in_its_range(seed, seconds):
    here = smooth_noise(seconds, per_second=10, seed=seed, n=3)
    soon = smooth_noise(seconds + 1e-4, per_second=10, seed=seed, n=3)
    assert np.abs(here).max() <= 1
    assert np.abs(soon - here).max() < 0.01


def test_the_order_of_a_stack_is_kept():
    dim = {"amount": 50.0, "takes": "levels"}
    first = drawn(NOISE, ("invert", {}), ("blackout", dim))
    second = drawn(NOISE, ("blackout", dim), ("invert", {}))
    assert np.abs(first - (255 - NOISE.astype(float)) / 2).max() <= 1
    assert np.abs(second - (255 - NOISE / 2)).max() <= 1
    smeared = drawn(NOISE, ("pixelate", {"size": 12.5}), ("notch", {"steps": 1.0, "size": 50.0}))
    other = drawn(NOISE, ("notch", {"steps": 1.0, "size": 50.0}), ("pixelate", {"size": 12.5}))
    assert np.abs(smeared - other).mean() > 5


def _sliding(across_now, across_next, shutter):
    made = EFFECTS.named("slide")
    now, after = (
        (("across", across), ("down", 0.0), ("shutter", shutter)) for across in (across_now, across_next)
    )
    active = ActiveEffect("slide", made.version, now, (), after)
    return plan_of(Shown(SourceFrame("a", "a", 0.0)), (320, 180), (active,))


def test_motion_blur_is_the_mean_over_the_time_that_the_shutter_is_open():
    """A slide of 20 % a frame with half a frame open: the mean of sixteen pictures over 10 %."""
    picture = cv2.GaussianBlur(noise((320, 180), 2), (0, 0), 2)
    seen = draw(_sliding(0.0, 20.0, 180.0), One(picture), (320, 180)).astype(float)
    shifts = [0.1 * 320 * (n / 15 - 0.5) for n in range(16)]
    moved = [
        cv2.warpAffine(
            picture.astype(np.float32),
            np.array([[1, 0, d], [0, 1, 0]]),
            (320, 180),
            borderMode=cv2.BORDER_REFLECT,
        )
        for d in shifts
    ]
    assert np.abs(seen - np.mean(moved, axis=0))[:, 40:-40].max() < 4
    still = draw(_sliding(0.0, 0.0, 360.0), One(picture), (320, 180))
    assert np.array_equal(still, picture)


@given(st.floats(-0.3, 0.3), st.floats(0.7, 1.4), st.floats(0.05, 1))
def test_a_part_of_a_movement_taken_often_enough_is_the_whole(turn, scale, exponent):
    matrix = np.array(
        [[scale * np.cos(turn), -np.sin(turn), 0.1], [np.sin(turn), scale * np.cos(turn), 0], [0, 0, 1]]
    )
    part = power_of(matrix, exponent)
    assert part @ power_of(matrix, 1 - exponent) == pytest.approx(matrix, abs=1e-9)
