"""An effect for Epiphane from a package of its own."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, diagonal_tone


@effect(
    key="example.dusk",
    version=1,
    family=Family.COLOUR,
    label="Dusk",
    keywords="evening blue dark",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=60),),
)
def dusk(values: Values) -> Tone:
    """Turns the picture to the blue of an evening."""
    share = values.amount / 100
    return diagonal_tone(1 - share * np.array([0.1, 0.45, 0.6]), np.zeros(3))
