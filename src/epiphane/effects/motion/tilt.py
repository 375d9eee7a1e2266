"""Tilt: turn the picture in depth."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, Need, effect
from epiphane.effects.operations import Warp
from epiphane.effects.turning import in_shares

# How far the eye is from the picture, in its widths: that of a lens neither wide nor long.
_DISTANCE = 1.6


@effect(
    key="tilt",
    version=1,
    family=Family.MOTION,
    label="Tilt in depth",
    group="Camera",
    keywords="rotate lean dutch",
    parameters=(
        Parameter("sideways", "Sideways", "°", low=-60, high=60, rest=0, peak=30),
        Parameter("back", "Backwards", "°", low=-60, high=60, rest=0, peak=0),
        Parameter("scale", "Scale", "%", low=50, high=400, rest=100, peak=120),
        OPEN_SHUTTER,
    ),
    needs=(Need.ASPECT,),
)
def tilt(values: Values) -> Warp:
    """Turns the picture in depth about its middle, seen in perspective."""
    side, back = np.deg2rad(values.sideways), np.deg2rad(values.back)
    scale = values.scale / 100
    about_y = np.array([[np.cos(side), 0, np.sin(side)], [0, 1, 0], [-np.sin(side), 0, np.cos(side)]])
    about_x = np.array([[1, 0, 0], [0, np.cos(back), -np.sin(back)], [0, np.sin(back), np.cos(back)]])
    plane = (about_x @ about_y)[:, :2]  # where (x, y, 0) goes
    rows = np.zeros((3, 3))
    rows[:2, :2] = scale * plane[:2]
    rows[2] = (plane[2, 0] / _DISTANCE, plane[2, 1] / _DISTANCE, 1)
    return in_shares(rows, centre=(0.5, 0.5), aspect=values.aspect)
