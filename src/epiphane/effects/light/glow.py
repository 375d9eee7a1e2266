"""Glow: what is bright shines beyond its edges."""

from collections.abc import Callable

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, AddedLight, Filter, Operation
from epiphane.effects.pixels import LUMA, blurred, resized, screened
from epiphane.effects.shining import glare, highlights, small_light
from epiphane.types import Float32Array, FloatArray, Picture

_BRIGHTEST, _THRESHOLD = "the brightest", "a threshold"
_SHRINK, _NARROWEST = 4, 0.7


@effect(
    key="glow",
    version=2,
    family=Family.LIGHT,
    label="Glow",
    group="Glow",
    keywords="halation dreamy",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=400, rest=0, peak=200),
        Parameter("radius", "Radius", "% of width", low=0.1, high=10, rest=2.2, peak=2.2),
        ChoiceParameter(
            "by",
            "It shines by",
            (_BRIGHTEST, _THRESHOLD),
            _BRIGHTEST,
            help="What is brightest against its surroundings, in light; or all above a level",
        ),
        Parameter(
            "share", "Share", "% of the picture", low=1, high=60, rest=14, peak=14, help="Of the brightest"
        ),
        Parameter("threshold", "Threshold", "%", low=0, high=99, rest=55, peak=55, help="The level"),
        ColourParameter("near", "Tint near", "#ffffff"),
        ColourParameter("far", "Tint far", "#ffc37a"),
    ),
)
def glow(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets what is bright shine beyond its edges, tinted from near to far."""
    if values.strength == 0:
        return NOTHING
    near, far = (np.array(colour_to_bgr(text)) for text in (values.near, values.far))
    if values.by == _THRESHOLD:
        return Filter(_above_a_level(values, near, far))
    strength, share, radius = values.strength / 100, values.share / 100, values.radius / 100
    narrow, wide = (np.float32(strength / 2) * colour.astype(np.float32) for colour in (near, far))

    def light_of(picture: Picture) -> Float32Array:
        bright = highlights(small_light(picture, _SHRINK), share)
        sigma = radius * bright.shape[1]
        close = cv2.GaussianBlur(bright, (0, 0), max(sigma / 2, 0.3), borderType=cv2.BORDER_REFLECT)
        return np.asarray(close) * narrow + glare(bright, _NARROWEST * sigma) * (2 * wide)

    return AddedLight(light_of)


def _above_a_level(values: Values, near: FloatArray, far: FloatArray) -> Callable[[Picture], Picture]:
    """Return what screens the glow of all that is brighter than a level, in levels."""
    cut = 255 * values.threshold / 100
    gain = 255 / (255 - cut)
    strength = values.strength / 100

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        half = resized(picture, (-(-width // 2), -(-height // 2)))  # it is blurred anyhow
        luma = cv2.transform(half, LUMA[None])
        bright = np.asarray(cv2.convertScaleAbs(cv2.subtract(luma, cut), alpha=gain), np.uint8)
        shine = cv2.multiply(half, cv2.merge([bright] * 3), scale=1 / 255)
        close = blurred(np.asarray(shine, np.uint8), values.radius / 100 / 2)
        wide = blurred(np.asarray(shine, np.uint8), values.radius / 100 * 1.6)
        light = cv2.transform(close, np.diag(near) * strength)
        light = cv2.add(light, cv2.transform(wide, np.diag(far) * strength))
        return screened(picture, np.asarray(light, np.uint8))

    return apply
