"""Blackout: down to black, or to any colour."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, diagonal_tone


@effect(
    key="blackout",
    version=1,
    family=Family.LIGHT,
    label="Blackout",
    keywords="dip to black off",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ColourParameter("colour", "Colour", "#000000"),
    ),
)
def blackout(values: Values) -> Tone:
    """Covers the picture with one colour, black unless chosen otherwise."""
    share = values.amount / 100
    return diagonal_tone(np.full(3, 1 - share), 255 * share * np.array(colour_to_bgr(values.colour)))
