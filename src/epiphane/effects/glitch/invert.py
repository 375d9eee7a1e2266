"""Invert: light is dark and colours are their opposites."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.half_way import MIXED, half_way_parameter
from epiphane.effects.operations import NOTHING, Operation, ToneCurve, diagonal_tone
from epiphane.effects.pixels import turned_share


@effect(
    key="invert",
    version=2,
    family=Family.GLITCH,
    label="Invert",
    group="Broken",
    parameters=(Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100), half_way_parameter()),
)
def invert(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes light dark, dark light, and every colour its opposite."""
    share = values.amount / 100
    if share == 0:
        return NOTHING
    if share == 1 or values.half_way == MIXED:
        return diagonal_tone(np.full(3, 1 - 2 * share), np.full(3, 255 * share))
    levels = np.arange(256) / 255
    turned = levels + turned_share(levels, share) * (1 - 2 * levels)
    return ToneCurve(np.repeat(255 * turned[:, None], 3, axis=1))
