"""Tint: everything in shades of one colour."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.effects.pixels import LUMA


@effect(
    key="tint",
    version=1,
    family=Family.COLOUR,
    label="Tint",
    group="Tints",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=80),
        ColourParameter("colour", "Colour", "#58c4a2"),
    ),
    lasts=True,
)
def tint(values: Values) -> Tone:
    """Shows everything in shades of one colour, as bright as it was."""
    share = values.amount / 100
    colour = np.array(colour_to_bgr(values.colour))
    shade = colour / max(float(LUMA @ colour), 0.05)
    matrix = (1 - share) * np.eye(3) + share * np.outer(shade, LUMA)
    return Tone(np.column_stack([matrix, np.zeros(3)]))
