"""Contrast: lights and shadows farther apart, or nearer."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, diagonal_tone


@effect(
    key="contrast",
    version=1,
    family=Family.COLOUR,
    label="Contrast",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=300, rest=100, peak=150),
        Parameter("middle", "Middle", "%", low=0, high=100, rest=50, peak=50),
    ),
)
def contrast(values: Values) -> Tone:
    """Moves lights and shadows apart, above 100 %, or together; the middle level stays where it is."""
    gain = values.amount / 100
    return diagonal_tone(np.full(3, gain), np.full(3, 255 * values.middle / 100 * (1 - gain)))
