"""Blackout: down to black, or to any colour."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve, diagonal_tone
from epiphane.effects.shining import dimmed_levels

_LIGHT, _LEVELS = "light", "levels"


@effect(
    key="blackout",
    version=2,
    family=Family.LIGHT,
    label="Blackout",
    group="Exposure",
    keywords="dip to black off dim fade",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ColourParameter("colour", "Colour", "#000000"),
        ChoiceParameter(
            "takes", "It takes", (_LIGHT, _LEVELS), _LIGHT, help="Light goes as if turned down: lamps go last"
        ),
    ),
)
def blackout(values: Values) -> Operation | tuple[Operation, ...]:
    """Takes the light away until one colour is left, black unless chosen otherwise."""
    share, colour = values.amount / 100, np.array(colour_to_bgr(values.colour))
    if share == 0:
        return NOTHING
    if values.takes == _LEVELS:
        return diagonal_tone(np.full(3, 1 - share), 255 * share * colour)
    return ToneCurve(dimmed_levels(share, colour))
