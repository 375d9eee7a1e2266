"""Shake: the picture trembles, as on a shoulder or after a blow."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation
from epiphane.effects.pixels import smooth_noise
from epiphane.effects.turning import turned


@effect(
    key="shake",
    version=1,
    family=Family.MOTION,
    label="Shake",
    group="Camera",
    keywords="tremble handheld earthquake camera impact",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=30, rest=0, peak=4),
        Parameter("rate", "Rate", "a second", low=0.5, high=30, rest=11, peak=11),
        Parameter("rotation", "Rotation", "°", low=0, high=45, rest=0, peak=3),
        Parameter(
            "closer",
            "Closer",
            "% of reach",
            low=0,
            high=400,
            rest=220,
            peak=220,
            help="How much nearer the picture is, so that no edge is seen",
        ),
        OPEN_SHUTTER,
    ),
    needs=(Need.ASPECT, Need.TIME),
)
def shake(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes the picture tremble: smooth noise, not jumps, across, down and in rotation."""
    if values.reach == 0 and values.rotation == 0:
        return NOTHING
    across, down, turn = smooth_noise(values.seconds, per_second=values.rate, seed=int(values.seed), n=3)
    reach = values.reach / 100
    return turned(
        np.deg2rad(values.rotation) * turn,
        scale=1 + values.closer / 100 * reach,
        shift=(reach * across, reach * down),
        aspect=values.aspect,
    )
