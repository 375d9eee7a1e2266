"""Saturation: down to grey, and past what is there."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.effects.pixels import saturation_matrix


@effect(
    key="saturation",
    version=1,
    family=Family.COLOUR,
    label="Saturation",
    group="Grade",
    keywords="mono monochrome desaturate black and white b&w vibrance grade grading correction",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=300, rest=100, peak=0),),
)
def saturation(values: Values) -> Tone:
    """Takes colour away, down to grey at 0 %, or adds to it above 100 %; brightness stays."""
    return Tone(np.column_stack([saturation_matrix(values.amount / 100), np.zeros(3)]))
