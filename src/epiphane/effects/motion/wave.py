"""Wave: the picture swings like a flag."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Field, Operation
from epiphane.types import Float32Array

_RIM = 0.15


@effect(
    key="wave",
    version=1,
    family=Family.MOTION,
    label="Wave",
    group="Warps",
    keywords="flag jelly wobble underwater heat swing",
    parameters=(
        Parameter("height", "Height", "% of width", low=0, high=12, rest=0, peak=3.5),
        Parameter("waves", "Waves", "", low=0.5, high=20, rest=2.4, peak=2.4),
        Parameter("rate", "Rate", "a second", low=0, high=6, rest=0.8, peak=0.8),
        Parameter("columns", "Columns too", "%", low=0, high=100, rest=60, peak=60),
    ),
    needs=(Need.TIME,),
)
def wave(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets lines swing like a flag, and columns less; at its edges the picture is still."""
    if values.height == 0:
        return NOTHING
    tall, turn = values.height / 50, 2 * np.pi * values.rate * values.seconds

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        rim = np.clip(np.minimum(1 - np.abs(x), half_height - np.abs(y)) / _RIM, 0, 1)
        across = tall * np.sin(np.pi * values.waves * y / half_height + turn) * rim
        down = tall * values.columns / 100 * np.sin(np.pi * values.waves * x + 1.3 * turn) * rim
        return (x + across).astype(np.float32), (y + down).astype(np.float32)

    return Field(source)
