"""Contrast: lights and shadows farther apart, or nearer."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve, diagonal_tone

_S, _STRAIGHT = "an S", "straight"
_STEEPEST = 4.0
"""How steep the S is for each whole of contrast more."""


@effect(
    key="contrast",
    version=2,
    family=Family.COLOUR,
    label="Contrast",
    group="Grade",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=300, rest=100, peak=190),
        Parameter("middle", "Middle", "%", low=0, high=100, rest=45, peak=45),
        ChoiceParameter(
            "bends",
            "Its curve",
            (_S, _STRAIGHT),
            _S,
            help="An S cuts off nothing",
        ),
    ),
)
def contrast(values: Values) -> Operation | tuple[Operation, ...]:
    """Moves lights and shadows apart, above 100 %, or together; the middle level stays where it is."""
    gain, middle = values.amount / 100, values.middle / 100
    if gain == 1:
        return NOTHING
    if values.bends == _S and gain > 1:
        levels, steep = np.arange(256) / 255, _STEEPEST * (gain - 1)
        low, high = np.tanh(-steep * middle), np.tanh(steep * (1 - middle))
        curve = 255 * (np.tanh(steep * (levels - middle)) - low) / (high - low)
        return ToneCurve(np.repeat(curve[:, None], 3, axis=1))
    return diagonal_tone(np.full(3, gain), np.full(3, 255 * values.middle / 100 * (1 - gain)))
