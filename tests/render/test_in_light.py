"""Films that mix linear light: formulas in floats, lamps that stay lamps, one shutter for all that moves."""

import cv2
import numpy as np
import pytest
from helpers import a_project
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.lane import Setting
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.lanes import add_lane, set_setting
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.effects import pixels
from epiphane.effects.declare import EFFECTS, FrameContext
from epiphane.effects.operations import Blur
from epiphane.effects.pixels import HEADROOM, to_levels, to_light
from epiphane.keying.schedule import schedule
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.fuse import steps_of
from epiphane.render.nodes import ActiveEffect, FramePlan, Joined, Node, Shown, SourceFrame, plan_of
from epiphane.render.plan import plan_frame
from epiphane.transitions.declare import TRANSITIONS, Progress

SIZE = (320, 180)
HERE = Shown(SourceFrame("a", "a", 0.0))
BLURS = [
    ("blur", {"radius": 1.5, "shape": "a Gaussian"}, {}),
    ("streak", {"length": 12.0}, {}),
    ("rush", {"amount": 30.0}, {}),
    ("slide", {"across": 0.0, "shutter": 180.0}, {"across": 20.0}),
    ("spin", {"angle": 0.0, "shutter": 180.0}, {"angle": 30.0}),
]


class Pictures:
    """Footage of one picture each."""

    def __init__(self, **pictures):
        self._raw = {name: raw_from_bgr(picture) for name, picture in pictures.items()}

    def picture(self, source):
        return self._raw[source.path]


def drawn(key, picture, values, next_values, *, in_light):
    effect, context = EFFECTS.named(key), FrameContext(in_light=in_light)

    def named(changes):
        settings = tuple(Setting(name, value, value) for name, value in changes.items())
        return effect.values_at(settings, 1.0, context)

    after = named(values | next_values) if next_values else ()
    active = ActiveEffect(key, effect.version, named(values), (), after)
    return draw(plan_of(HERE, SIZE, (active,)), Pictures(a=picture), SIZE)


def light_of(levels):
    """Return the light of levels by IEC 61966-2-1, and what lamps are lifted to, float64."""
    shares = levels / 255
    light = np.where(shares <= 0.04045, shares / 12.92, ((shares + 0.055) / 1.055) ** 2.4)
    return light * (1 + HEADROOM * light**6)


def levels_of(lifted):
    known = np.linspace(0, 255, 100_001)
    return np.interp(lifted, light_of(known), known)


@pytest.mark.parametrize(("key", "values", "next_values"), BLURS)
def test_what_blurs_in_light_keeps_lamps_and_leaves_flat_pictures(key, values, next_values):
    night = np.full((*SIZE[::-1], 3), 20, np.uint8)
    night[40:44, 230:234] = 255
    in_levels, in_light = (
        int(drawn(key, night, values, next_values, in_light=so).max()) for so in (False, True)
    )
    assert in_light > in_levels + 40
    for level in (0, 1, 20, 128, 254, 255):
        flat = np.full_like(night, level)
        assert np.array_equal(drawn(key, flat, values, next_values, in_light=True), flat)


@pytest.mark.parametrize("shape", ["discs", "six blades"])
def test_a_lamp_out_of_focus_is_as_bright_a_disc_as_its_light_makes_it(shape):
    night = np.zeros((*SIZE[::-1], 3), np.uint8)
    night[88:92, 158:162] = 255
    seen = drawn("blur", night, {"radius": 4.0, "shape": shape}, {}, in_light=False)[..., 1].astype(float)
    lit = seen > 0.5 * seen.max()
    spread = 0.04 * SIZE[0]
    assert lit.sum() == pytest.approx(np.pi * spread**2, rel=0.35)
    assert seen[lit].std() < 0.2 * seen.max()  # a disc, and no bell
    total = light_of(seen).sum() / light_of(night[..., 1].astype(float)).sum()
    assert total == pytest.approx(1, abs=0.12)  # none of the light is lost
    flat = np.full_like(night, 77)
    assert np.array_equal(drawn("blur", flat, {"radius": 4.0, "shape": shape}, {}, in_light=False), flat)


def test_a_blur_in_light_is_its_formula_in_floats():
    picture = cv2.GaussianBlur(
        np.random.default_rng(4).integers(0, 256, (180, 320, 3)).astype(np.uint8), (0, 0), 1
    )
    seen = drawn("blur", picture, {"radius": 0.6, "shape": "a Gaussian"}, {}, in_light=True).astype(float)
    soft = cv2.GaussianBlur(
        light_of(picture.astype(float)), (0, 0), 0.006 * 320, borderType=cv2.BORDER_REFLECT
    )
    assert np.abs(seen - levels_of(soft)).max() <= 1.5


def test_every_level_comes_back_from_light():
    levels = np.arange(256, dtype=np.uint8)[None, :, None].repeat(3, axis=2)
    for headroom in (0.0, HEADROOM, 7.0):
        assert np.array_equal(to_levels(to_light(levels, headroom), headroom), levels)


@pytest.mark.parametrize("key", ["dissolve", "wipe", "iris", "blur-through"])
def test_two_pictures_mix_in_light_where_the_film_does(key):
    """Of a flat 40 and a flat 220 every mean lies higher in light than in levels, and none beyond them."""
    transition = TRANSITIONS.named(key)
    plain = {"softness": 40.0, "edge": 0.0}
    soft = [
        Setting(one.name, plain[one.name], plain[one.name])
        for one in transition.parameters
        if one.name in plain
    ]
    sides = [Node(Shown(SourceFrame(name, name, 0.0))) for name in "ab"]
    pair = Pictures(a=np.full((90, 160, 3), 40, np.uint8), b=np.full((90, 160, 3), 220, np.uint8))
    levels, light = (
        draw(
            FramePlan((160, 90), Node(Joined(key, 1, transition.values_at(soft), progress, *sides))),
            pair,
            (160, 90),
        ).astype(int)
        for progress in (Progress(0.5), Progress(0.5, in_light=True))
    )
    between = (levels > 45) & (levels < 215)
    assert between.any()
    assert (light[between] > levels[between]).all() and light.min() >= 40 and light.max() <= 220


def test_one_shutter_of_the_film_blurs_all_that_effects_move():
    project, pulse = ensure_pulse(a_project(n_lanes=0), PulseUnit.BEAT)
    for key in ("zoom", "slide", "flash"):
        project = add_lane(project, key, pulse, envelope=Envelope(rise=2, hold=2, fall=9))
    slide = next(lane for lane in project.lanes if lane.effect == "slide")
    project = set_setting(project, slide.id, Setting("shutter", 240.0, 240.0))
    project = set_setting(project, project.lanes[0].id, Setting("shutter", 0.0, 0.0))
    frame = next(
        at for at in range(1, 90) if len(plan_frame(project, schedule(project), at).root.effects) == 3
    )

    def shutters(angle):
        made = replace(project, shutter_angle=angle)
        effects = plan_frame(made, schedule(made), frame).root.effects
        return [(dict(one.values).get("shutter"), bool(one.after)) for one in effects]

    assert shutters(0.0) == [(0.0, False), (240.0, True), (None, False)]
    assert shutters(180.0) == [(180.0, True), (240.0, True), (None, False)]
    assert shutters(300.0) == [(300.0, True), (300.0, True), (None, False)]


def test_lights_that_follow_each_other_are_added_as_one_and_all_see_the_same_picture():
    night = np.full((*SIZE[::-1], 3), 20, np.uint8)
    night[60:70, 100:116] = 255
    values = [EFFECTS.named(key).values_at((), 1.0) for key in ("glow", "halation")]
    lights = [
        EFFECTS.named(key).operations(one)[0] for key, one in zip(("glow", "halation"), values, strict=True)
    ]
    assert len(steps_of(lights)) == 1 and len(steps_of([lights[0], Blur(0.01), lights[1]])) == 3
    seen = steps_of(lights)[0].apply(night)
    alone = [steps_of([one])[0].apply(night) for one in lights]
    assert (seen.astype(int) >= np.maximum(*alone).astype(int) - 1).all()
    base, *made = (pixels.light_of(one.astype(float) / 255) for one in (night, *alone))
    expected = 255 * pixels.level_of(sum(made) - base)
    dim = (seen < 200).all(axis=2)  # where nothing is rolled off it is their sum
    assert dim.mean() > 0.5
    assert np.abs(seen.astype(float) - expected)[dim].max() <= 3
