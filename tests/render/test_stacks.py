"""Whole stacks of effects: drawn in few steps, and at small sizes, as if one after the other in floats."""

from itertools import groupby, product

import cv2
import numpy as np
from helpers import graded_in_float
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from epiphane.declare.parameters import Parameter
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Setting
from epiphane.effects.declare import EFFECTS, FrameContext
from epiphane.effects.operations import (
    AddedLight,
    Blur,
    ChannelShift,
    Field,
    Filter,
    Grade,
    Mix,
    Tone,
    ToneCurve,
    Warp,
)
from epiphane.effects.shining import with_lights
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv
from epiphane.media.raw import RawPicture, raw_from_bgr
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.draw import draw, draw_planes
from epiphane.render.fuse import Pass, steps_of
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of
from epiphane.render.resolution import resolution_runs

SIZE = (320, 180)
SOURCE = SourceFrame("a", "a", 0.0)


class One:
    def __init__(self, raw):
        self._raw = raw

    def picture(self, source):
        return self._raw


def film(size=SIZE):
    """Return what footage is like: forms with soft edges, and grain."""
    rng = np.random.default_rng(8)
    large = rng.uniform(20, 235, (9, 16, 3)).astype(np.float32)
    forms = cv2.resize(large, size, interpolation=cv2.INTER_CUBIC)
    return np.clip(forms + rng.normal(0, 2, forms.shape), 0, 255).astype(np.uint8)


def in_float(picture, operations, *, off=0.0):
    """Do operations one after the other, each on all pixels, in floats, or some levels off after each.

    Warps with nothing but straight tones between them move the whole plane that the mirrored picture
    covers, of which the frame is cut out after the last. Neighbouring grades are one.
    """
    operations = with_grades_joined(operations)
    done = picture.astype(np.float64)
    for is_plain, run in groupby(operations, lambda one: isinstance(one, Warp) or is_straight(one)):
        others = list(run)
        if is_plain and any(isinstance(one, Warp) for one in others):
            matrix = np.eye(3)
            for one in others:
                matrix = one.matrix @ matrix if isinstance(one, Warp) else matrix
            done = np.clip(sampled(done, *shares_moved(done, np.linalg.inv(matrix))) + off, 0, 255)
        for one in others:
            if not isinstance(one, Warp):
                done = np.clip(one_in_float(done, one) + off, 0, 255)
    return done


def with_grades_joined(operations):
    made = []
    for is_light, run in groupby(operations, lambda one: isinstance(one, AddedLight)):
        if is_light:
            lights = tuple(one.light for one in run)
            made.append(Filter(lambda picture, lights=lights: with_lights(picture, lights)))
            continue
        for one in run:
            if isinstance(one, Grade) and made and isinstance(made[-1], Grade):
                made[-1] = Grade((*made[-1].steps, *one.steps))
            else:
                made.append(one)
    return made


def is_straight(one):
    """Whether it takes no colour out of range, so that nothing is clipped."""
    corners = 255 * np.array(list(product((0, 1), repeat=3)))
    if not isinstance(one, Tone):
        return False
    made = corners @ one.matrix[:, :3].T + one.matrix[:, 3]
    return bool(made.min() >= -0.5 and made.max() <= 255.5)


def coloured_in_float(done, one):
    if isinstance(one, Tone):
        return np.clip(done @ one.matrix[:, :3].T + one.matrix[:, 3], 0, 255)
    if isinstance(one, Grade):
        return np.clip(255 * graded_in_float(one.steps, done / 255), 0, 255)
    table = np.clip(one.table, 0, 255)
    return np.dstack([np.interp(done[..., c], np.arange(256), table[:, c]) for c in range(3)])


def one_in_float(done, one):
    height, width = done.shape[:2]
    if isinstance(one, Tone | ToneCurve | Grade):
        return coloured_in_float(done, one)
    if isinstance(one, Blur):
        sigma = one.sigma * width
        return ndimage.gaussian_filter(done, (sigma, sigma, 0), mode="reflect", truncate=5)
    y, x = np.mgrid[0:height, 0:width].astype(float)
    if isinstance(one, ChannelShift):
        moved = [sampled(done, x - dx * width, y - dy * width) for dx, dy in one.shifts]
        return np.dstack([moved[c][..., c] for c in range(3)])
    if isinstance(one, Field):
        x, y = (x + 0.5) * 2 / width - 1, ((y + 0.5) * 2 - height) / width
        from_x, from_y = one.source(x.astype(np.float32), y.astype(np.float32), height / width)
        return sampled(done, (from_x + 1) * width / 2 - 0.5, from_y * width / 2 + height / 2 - 0.5)
    return one.apply(np.rint(done).astype(np.uint8)).astype(float)


def shares_moved(picture, back):
    height, width = picture.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    at = np.dstack([(x + 0.5) / width, (y + 0.5) / height, np.ones_like(x)]) @ back.T
    return at[..., 0] / at[..., 2] * width - 0.5, at[..., 1] / at[..., 2] * height - 0.5


def sampled(picture, x, y):
    channels = [ndimage.map_coordinates(picture[..., c], (y, x), order=1, mode="reflect") for c in range(3)]
    return np.dstack(channels)


KEYS = tuple(one.key for one in EFFECTS.all())


@st.composite
def actives(draw_value, keys=KEYS):
    """Return an effect at work with any values its parameters may have, and at any level."""
    made = EFFECTS.find(draw_value(st.sampled_from(keys)))
    chosen = [
        Setting(one.name, peak=one.rest + (one.peak - one.rest) * draw_value(st.floats(0.2, 1.5)))
        for one in made.parameters
        if isinstance(one, Parameter)
    ]
    lane = Lane(LaneId(1), made.key, PulseId(1), settings=tuple(chosen))
    context = FrameContext(
        SIZE[0] / SIZE[1], draw_value(st.integers(0, 99)), since=draw_value(st.integers(0, 3))
    )
    values = made.values_at(lane.settings, draw_value(st.floats(0.01, 1)), context)
    others = tuple(Shown(SOURCE) for _ in made.echoes_of(values))
    return ActiveEffect(made.key, made.version, values, others)


def operations_of(stack):
    return [one for active in stack for one in EFFECTS.find(active.key).operations(active.values)]


def alone(stack):
    """Return the operations of a stack, where the other pictures are all the same one."""
    return [
        without_others(one, len(active.others)) if isinstance(one, Mix) else one
        for active in stack
        for one in operations_of([active])
    ]


def without_others(mix, n_others):
    return Filter(lambda whole: mix.apply(whole, [film()] * n_others))


def differences(stack):
    """Return how far the picture of a stack is from that in floats, and what half a level makes of that.

    OpenCV samples at every thirty-second of a pixel both ways, and fields are straight between points: a
    fortieth of a pixel, at the contrast there is, is taken off.
    """
    operations = alone(stack)
    drawn = draw(plan_of(Shown(SOURCE), SIZE, tuple(stack)), One(raw_from_bgr(film())), SIZE)
    true = in_float(film(), operations)
    rounded = [np.abs(in_float(film(), operations, off=off) - true) for off in (-0.5, 0.5)]
    contrast = ndimage.maximum_filter(true, (5, 5, 1)) - ndimage.minimum_filter(true, (5, 5, 1))
    return np.maximum(np.abs(drawn - true) - contrast / 40, 0), np.maximum(*rounded)


@settings(max_examples=45, deadline=None)
@given(st.lists(actives(), min_size=1, max_size=6))
def test_a_stack_is_within_two_levels_of_one_after_the_other_in_floats(stack):
    """Or no farther than half a level takes it: the steps of a posterised picture turn on less."""
    far, by_rounding = differences(stack)
    assert far.max() <= max(2.0, 1.75 * by_rounding.max())
    assert far.mean() <= max(0.7, by_rounding.mean())


def without_repeats(kinds):
    """Return kinds of steps in order; what follows a pass may be a pass, as they may be divided."""
    return [kind for kind, run in groupby(kinds) for _ in (run if kind is not Pass else (kind,))]


SOFT = ("zoom", "shake", "spin", "slide", "tilt", "blur", "split", "saturation", "flash", "hue", "tint")


@settings(max_examples=30, deadline=None)
@given(st.lists(actives(SOFT), max_size=4), actives(("blur",)), st.lists(actives(SOFT), max_size=4))
def test_what_is_blurred_may_be_drawn_small_but_in_its_order(before, blur, after):
    steps = steps_of(operations_of([*before, blur, *after]))
    parts = resolution_runs(steps, (1920, 1080))
    kinds = [type(step) for part in parts for step in part.steps]
    assert without_repeats(kinds) == without_repeats(type(step) for step in steps)
    sharp = [part for part in parts if part.shrink == 1]
    assert sum(isinstance(step, Blur) and step.sigma * 1920 > 16 for p in sharp for step in p.steps) == 0


def test_a_blur_is_done_small_though_nothing_beside_it_may_be():
    keep = Filter(lambda picture: picture)
    parts = resolution_runs((keep, Blur(0.01), keep), (1920, 1080))
    assert [(part.shrink, len(part.steps)) for part in parts] == [(1, 1), (8, 1), (1, 1)]
    assert resolution_runs((), (1920, 1080))[0].shrink == 1


@settings(max_examples=25, deadline=None)
@given(st.lists(actives(SOFT), max_size=4), actives(("blur",)), st.lists(actives(SOFT), max_size=4))
def test_preview_and_export_of_what_is_blurred_are_one_picture(before, blur, after):
    matrix = bgr_to_yuv(OUTPUT_SPEC)
    yuv = np.clip(np.rint(film() @ matrix[:, :3].T + matrix[:, 3]), 0, 255).astype(np.uint8)
    plan = plan_of(Shown(SOURCE), SIZE, (*before, blur, *after))
    footage = One(RawPicture(planes_from_yuv444(yuv)))
    seen = draw(plan, footage, SIZE).astype(float)
    luma = draw_planes(plan, footage, SIZE)[0]
    away = np.abs(seen @ matrix[0, :3] + matrix[0, 3] - luma)
    assert away.max() <= 2.5
    assert away.mean() < 0.6
