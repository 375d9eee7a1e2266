"""Pixels: the picture in coarse squares."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import resized
from epiphane.types import Picture


@effect(
    key="pixelate",
    version=1,
    family=Family.GLITCH,
    label="Pixels",
    group="Digital",
    keywords="mosaic pixelate low resolution 8-bit",
    parameters=(Parameter("size", "Size", "% of width", low=0, high=25, rest=0, peak=3),),
)
def pixelate(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture in squares, each of the mean colour of what it covers."""
    if values.size == 0:
        return NOTHING

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(1.0, values.size / 100 * width)
        small = resized(picture, (max(1, round(width / cell)), max(1, round(height / cell))))
        return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)

    return Filter(apply, moves=True)
