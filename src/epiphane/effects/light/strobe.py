"""Strobe: bright and not, many times a second, while the envelope is up."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation, diagonal_tone


@effect(
    key="strobe",
    version=1,
    family=Family.LIGHT,
    label="Strobe",
    keywords="flicker blink",
    parameters=(
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=0, peak=80),
        Parameter("rate", "Flashes", "a second", low=1, high=30, rest=10, peak=10),
        ColourParameter("colour", "Colour", "#ffffff"),
    ),
    needs=(Need.TIME,),
)
def strobe(values: Values) -> Operation | tuple[Operation, ...]:
    """Lays one colour over the picture for half of every flash, and leaves it alone for the other half."""
    is_on = (values.seconds * values.rate + 1e-6) % 1 < 0.5
    if not is_on or values.opacity == 0:
        return NOTHING
    share = values.opacity / 100
    return diagonal_tone(np.full(3, 1 - share), 255 * share * np.array(colour_to_bgr(values.colour)))
