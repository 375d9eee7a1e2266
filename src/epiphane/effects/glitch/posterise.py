"""Posterise: few levels instead of many."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve


@effect(
    key="posterise",
    version=1,
    family=Family.GLITCH,
    label="Posterise",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("levels", "Levels", "", low=2, high=16, rest=5, peak=5, is_whole=True),
    ),
)
def posterise(values: Values) -> Operation | tuple[Operation, ...]:
    """Leaves a few levels of each colour, with hard steps between them."""
    if values.amount == 0:
        return NOTHING
    n_levels = round(values.levels)
    levels = np.arange(256.0)
    stepped = np.minimum(np.floor(levels / 256 * n_levels), n_levels - 1) * 255 / (n_levels - 1)
    mixed = levels + (stepped - levels) * values.amount / 100
    return ToneCurve(np.repeat(mixed[:, None], 3, axis=1))
