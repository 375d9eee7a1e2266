"""Bleach bypass: the silver stays in the film."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture

_MIDDLE = 200
"""The grey that leaves colours as bright as they are."""


@effect(
    key="bleach",
    version=1,
    family=Family.COLOUR,
    label="Bleach bypass",
    group="Grade",
    keywords="silver retention gritty war hard film",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("silver", "Silver", "%", low=0, high=100, rest=75, peak=75, help="How grey it is"),
        Parameter("contrast", "Contrast", "%", low=50, high=300, rest=150, peak=150),
    ),
)
def bleach(values: Values) -> Operation | tuple[Operation, ...]:
    """Lays a hard grey over the colours, as silver that was left in the film does."""
    if values.amount == 0:
        return NOTHING
    level, silver = values.amount / 100, values.silver / 250
    steep = values.contrast / 100
    levels = np.arange(256) / 255
    hard = 0.5 + np.tanh((levels - 0.5) * 1.7 * steep) / (2 * np.tanh(0.85 * steep))
    table = np.rint(255 * np.clip(hard, 0, 1)).astype(np.uint8)

    def apply(picture: Picture) -> Picture:
        grey = cv2.merge([cv2.LUT(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY), table)] * 3)
        over = cv2.multiply(picture, grey, scale=1 / _MIDDLE)
        done = cv2.addWeighted(over, 1 - silver, grey, silver, 0)
        return np.asarray(cv2.addWeighted(picture, 1 - level, done, level, 0), np.uint8)

    return Filter(apply)
