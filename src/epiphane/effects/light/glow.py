"""Glow: what is bright shines beyond its edges."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import LUMA, blurred, resized, screened
from epiphane.types import Picture


@effect(
    key="glow",
    version=1,
    family=Family.LIGHT,
    label="Glow",
    keywords="halation dreamy",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=200, rest=0, peak=90),
        Parameter("radius", "Radius", "% of width", low=0.1, high=10, rest=2, peak=2),
        Parameter("threshold", "Threshold", "%", low=0, high=99, rest=55, peak=55),
        ColourParameter("near", "Tint near", "#ffffff"),
        ColourParameter("far", "Tint far", "#ffc37a"),
    ),
)
def glow(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets what is brighter than a threshold shine beyond its edges, tinted from near to far."""
    if values.strength == 0:
        return NOTHING
    cut = 255 * values.threshold / 100
    gain = 255 / (255 - cut)
    near, far = (np.array(colour_to_bgr(text)) for text in (values.near, values.far))
    strength = values.strength / 100

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        half = resized(picture, (-(-width // 2), -(-height // 2)))  # it is blurred anyhow
        luma = cv2.transform(half, LUMA[None])
        bright = np.asarray(cv2.convertScaleAbs(cv2.subtract(luma, cut), alpha=gain), np.uint8)
        lit = cv2.multiply(half, cv2.merge([bright] * 3), scale=1 / 255)
        close = blurred(np.asarray(lit, np.uint8), values.radius / 100 / 2)
        wide = blurred(np.asarray(lit, np.uint8), values.radius / 100 * 1.6)
        light = cv2.transform(close, np.diag(near) * strength)
        light = cv2.add(light, cv2.transform(wide, np.diag(far) * strength))
        return screened(picture, np.asarray(light, np.uint8))

    return Filter(apply)
