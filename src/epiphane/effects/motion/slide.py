"""Slide: push the picture to a side."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, effect
from epiphane.effects.operations import Warp


@effect(
    key="slide",
    version=1,
    family=Family.MOTION,
    label="Slide",
    group="Camera",
    keywords="whip push pan",
    parameters=(
        Parameter("across", "Across", "%", low=-200, high=200, rest=0, peak=16),
        Parameter("down", "Down", "%", low=-200, high=200, rest=0, peak=0),
        OPEN_SHUTTER,
    ),
)
def slide(values: Values) -> Warp:
    """Pushes the picture to a side; its mirror image follows."""
    return Warp(np.array([[1, 0, values.across / 100], [0, 1, values.down / 100], [0, 0, 1.0]]))
