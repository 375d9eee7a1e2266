"""Sharpen: edges stand out."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import blurred
from epiphane.types import Picture


@effect(
    key="sharpen",
    version=1,
    family=Family.FOCUS,
    label="Sharpen",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=500, rest=0, peak=150),
        Parameter("radius", "Radius", "% of width", low=0.02, high=3, rest=0.25, peak=0.25),
    ),
)
def sharpen(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes edges stand out: the picture and some of what a blur takes away from it (unsharp masking)."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100

    def apply(picture: Picture) -> Picture:
        # Half a pixel at least: less would find no edges in a small picture.
        soft = blurred(picture, max(values.radius / 100, 0.5 / picture.shape[1]))
        return np.asarray(cv2.addWeighted(picture, 1 + amount, soft, -amount, 0), np.uint8)

    return Filter(apply)
