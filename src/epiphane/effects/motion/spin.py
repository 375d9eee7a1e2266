"""Spin: turn the picture about a point."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, Need, effect
from epiphane.effects.operations import Warp
from epiphane.effects.turning import turned


@effect(
    key="spin",
    version=1,
    family=Family.MOTION,
    label="Spin",
    group="Camera",
    keywords="rotate roll",
    parameters=(
        Parameter("angle", "Angle", "°", low=-720, high=720, rest=0, peak=20),
        Parameter("scale", "Scale", "%", low=50, high=400, rest=100, peak=112),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        OPEN_SHUTTER,
    ),
    needs=(Need.ASPECT,),
)
def spin(values: Values) -> Warp:
    """Turns the picture about a point, clockwise; what comes in at its corners is its mirror image."""
    turn = np.deg2rad(values.angle)
    centre = values.centre_x / 100, values.centre_y / 100
    return turned(turn, scale=values.scale / 100, centre=centre, aspect=values.aspect)
