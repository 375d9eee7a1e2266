"""Frames shuffled: frames of the shot in a wrong order."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation
from epiphane.effects.pixels import step_at


def _shift(values: Values) -> int:
    reach = round(values.reach)
    if reach == 0:
        return 0
    step = step_at(values.seconds, values.rate)
    return int(np.random.default_rng((int(values.seed), step)).integers(-reach, reach + 1))


@effect(
    key="frames-shuffled",
    version=1,
    family=Family.GLITCH,
    label="Frames shuffled",
    group="Time",
    keywords="random order jump scramble time jitter",
    parameters=(
        Parameter("reach", "Reach", "frames", low=0, high=60, rest=0, peak=12, help="Earlier and later"),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=12, peak=12),
    ),
    needs=(Need.TIME,),
    retime=_shift,
)
def frames_shuffled(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows frames of the shot in a wrong order, another many times a second."""
    return NOTHING
