"""Negative: dark is light, and colours keep their hue."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.effects.pixels import LUMA


@effect(
    key="negative",
    version=1,
    family=Family.COLOUR,
    label="Negative light",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),),
)
def negative(values: Values) -> Tone:
    """Makes light dark and dark light, while every colour keeps its hue.

    Brightness y becomes 255 - y, and what a colour differs from it stays: 255 - 2 y is added to all three.
    """
    share = values.amount / 100
    matrix = np.eye(3) - 2 * share * np.ones((3, 1)) * LUMA
    return Tone(np.column_stack([matrix, np.full(3, 255 * share)]))
