"""Channel split: red and blue part."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, ChannelShift, Operation
from epiphane.effects.turning import direction


@effect(
    key="split",
    version=1,
    family=Family.GLITCH,
    label="Channel split",
    group="Digital",
    keywords="rgb shift channels chromatic aberration 3d",
    parameters=(
        Parameter("offset", "Offset", "% of width", low=0, high=20, rest=0, peak=2.8),
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=0, peak=0),
    ),
)
def split(values: Values) -> Operation | tuple[Operation, ...]:
    """Moves red one way and blue the other, so that edges get coloured rims."""
    if values.offset == 0:
        return NOTHING
    step = values.offset / 100 * direction(values.angle)
    return ChannelShift(np.array([-step, 0 * step, step]))
