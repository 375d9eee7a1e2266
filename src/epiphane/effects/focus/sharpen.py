"""Sharpen: edges stand out."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import MIDDLE, blurred, with_difference
from epiphane.types import Picture


@effect(
    key="sharpen",
    version=2,
    family=Family.FOCUS,
    label="Sharpen",
    group="Drawn",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=500, rest=0, peak=240),
        Parameter("radius", "Radius", "% of width", low=0.02, high=3, rest=0.5, peak=0.5),
        Parameter(
            "limit",
            "Limit",
            "levels",
            low=0,
            high=128,
            rest=46,
            peak=46,
            help="No edge gets more, so none has a white rim; 0 is no limit",
        ),
    ),
)
def sharpen(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes edges stand out: the picture and some of what a blur takes away from it (unsharp masking)."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100
    away = np.arange(256) - MIDDLE
    bent = (MIDDLE + np.rint(values.limit * np.tanh(away * amount / max(values.limit, 1)))).astype(np.uint8)

    def apply(picture: Picture) -> Picture:
        # Half a pixel at least: less would find no edges in a small picture.
        soft = blurred(picture, max(values.radius / 100, 0.5 / picture.shape[1]))
        if values.limit == 0:
            return np.asarray(cv2.addWeighted(picture, 1 + amount, soft, -amount, 0), np.uint8)
        fine = cv2.addWeighted(picture, 1, soft, -1, MIDDLE)
        return with_difference(picture, np.asarray(cv2.LUT(fine, bent), np.uint8))

    return Filter(apply)
