"""Exposure: more or less light, in stops."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve
from epiphane.effects.pixels import GAMMA


@effect(
    key="exposure",
    version=1,
    family=Family.LIGHT,
    label="Exposure",
    keywords="brightness bright dark grade grading correction",
    parameters=(Parameter("stops", "Stops", "stops", low=-6, high=6, rest=0, peak=1.5),),
)
def exposure(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets in more or less light, as a lens does: a stop more is twice the light.

    Light is linear, levels are not: with the levels' power of 2.2 a stop multiplies them by 2^(1/2.2).
    """
    if values.stops == 0:
        return NOTHING
    levels = np.arange(256) * 2 ** (values.stops / GAMMA)
    return ToneCurve(np.repeat(levels[:, None], 3, axis=1))
