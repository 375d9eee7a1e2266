"""Invert: light is dark and colours are their opposites."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, diagonal_tone


@effect(
    key="invert",
    version=1,
    family=Family.GLITCH,
    label="Invert",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),),
)
def invert(values: Values) -> Tone:
    """Makes light dark, dark light, and every colour its opposite."""
    share = values.amount / 100
    return diagonal_tone(np.full(3, 1 - 2 * share), np.full(3, 255 * share))
