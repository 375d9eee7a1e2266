"""Negative: dark is light, and colours keep their hue."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.half_way import MIXED, half_way_parameter
from epiphane.effects.operations import NOTHING, Filter, Operation, Tone
from epiphane.effects.pixels import LUMA, turned_share
from epiphane.types import Picture


@effect(
    key="negative",
    version=2,
    family=Family.COLOUR,
    label="Negative light",
    group="Few colours",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100), half_way_parameter()),
)
def negative(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes light dark and dark light, while every colour keeps its hue.

    Brightness y becomes 255 - y, and what a colour differs from it stays: 255 - 2 y is added to all three.
    """
    share = values.amount / 100
    if share == 0:
        return NOTHING
    if share == 1 or values.half_way == MIXED:
        matrix = np.eye(3) - 2 * share * np.ones((3, 1)) * LUMA
        return Tone(np.column_stack([matrix, np.full(3, 255 * share)]))
    levels = np.arange(256) / 255
    added = np.rint(255 * turned_share(levels, share) * (1 - 2 * levels)).astype(np.int16)

    def apply(picture: Picture) -> Picture:
        luma = np.asarray(cv2.transform(picture, LUMA[None]), np.uint8)
        of_luma = cv2.LUT(luma, added)
        return np.asarray(cv2.add(picture, cv2.merge([of_luma] * 3), dtype=cv2.CV_8U), np.uint8)

    return Filter(apply)
