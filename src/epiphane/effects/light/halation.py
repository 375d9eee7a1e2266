"""Halation: red light round what is bright, as film throws it back."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, AddedLight, Operation
from epiphane.effects.shining import glare, highlights, small_light
from epiphane.types import Float32Array, Picture

_SHRINK, _GAIN = 4, 2.4


@effect(
    key="halation",
    version=1,
    family=Family.LIGHT,
    label="Halation",
    group="Glow",
    keywords="red rim film glow celluloid",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=400, rest=0, peak=220),
        Parameter("radius", "Radius", "% of width", low=0.1, high=5, rest=0.8, peak=0.8),
        Parameter("share", "Share", "% of the picture", low=1, high=60, rest=14, peak=14),
        Parameter("core", "Left out", "%", low=0, high=100, rest=40, peak=40, help="Upon what shines"),
        ColourParameter("colour", "Colour", "#ff330d"),
    ),
)
def halation(values: Values) -> Operation | tuple[Operation, ...]:
    """Puts a ring of red light round what is bright, as light that comes back through the film does."""
    if values.strength == 0:
        return NOTHING
    gain = np.array(colour_to_bgr(values.colour)) * (_GAIN * values.strength / 100)

    def light_of(picture: Picture) -> Float32Array:
        bright = highlights(small_light(picture, _SHRINK), values.share / 100)
        grey = np.asarray(cv2.transform(bright, np.full((3, 3), 1 / 3, np.float32)), np.float32)
        soft = glare(grey, values.radius / 100 * grey.shape[1])
        ring = np.maximum(soft - np.float32(values.core / 100) * grey, 0)
        return np.asarray(ring * gain.astype(np.float32), np.float32)

    return AddedLight(light_of)
