"""Gradient map: a colour for every brightness."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.colour_sets import colours_of, colours_parameter
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import LUMA
from epiphane.types import Picture


@effect(
    key="gradient",
    version=1,
    family=Family.COLOUR,
    label="Gradient map",
    group="Tints",
    keywords="map look grade lut",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ColourParameter("shadows", "Shadows", "#1a1033"),
        ColourParameter("middle", "Middle", "#d2466b"),
        ColourParameter("lights", "Lights", "#ffe7a8"),
        colours_parameter(),
    ),
    lasts=True,
)
def gradient(values: Values) -> Operation | tuple[Operation, ...]:
    """Gives every brightness a colour, from the shadows over a middle one to the lights."""
    if values.amount == 0:
        return NOTHING
    own = values.shadows, values.middle, values.lights
    colours = [255 * np.array(colour_to_bgr(text)) for text in colours_of(values.colours, own)]
    table = np.stack(
        [np.interp(np.arange(256), [0, 127.5, 255], [c[n] for c in colours]) for n in range(3)], 1
    )
    share = values.amount / 100

    def apply(picture: Picture) -> Picture:
        luma = np.asarray(cv2.transform(picture, LUMA[None]), np.uint8)
        mapped = cv2.LUT(cv2.merge([luma] * 3), np.round(table).astype(np.uint8)[None])
        return np.asarray(cv2.addWeighted(picture, 1 - share, mapped, share, 0), np.uint8)

    return Filter(apply)
