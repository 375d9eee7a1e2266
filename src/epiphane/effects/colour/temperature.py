"""Temperature: warmer or colder light."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, diagonal_tone
from epiphane.effects.pixels import white_balance


@effect(
    key="temperature",
    version=1,
    family=Family.COLOUR,
    label="Temperature",
    group="Grade",
    keywords="warm cool white balance grade grading correction",
    parameters=(
        Parameter("warmth", "Warmth", "%", low=-100, high=100, rest=0, peak=75),
        Parameter("green", "Green", "%", low=-100, high=100, rest=0, peak=0),
    ),
    lasts=True,
)
def temperature(values: Values) -> Tone:
    """Makes the light warmer (towards red) or colder (towards blue); grey keeps its brightness."""
    return diagonal_tone(white_balance(values.warmth / 100, values.green / 100), np.zeros(3))
