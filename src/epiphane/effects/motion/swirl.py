"""Swirl: the middle turns, and takes what is round it along."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Field, Operation
from epiphane.types import Float32Array


@effect(
    key="swirl",
    version=1,
    family=Family.MOTION,
    label="Swirl",
    group="Warps",
    keywords="twirl vortex whirl twist drain",
    parameters=(
        Parameter("angle", "Angle", "°", low=-720, high=720, rest=0, peak=220),
        Parameter("radius", "Radius", "% of width", low=5, high=120, rest=60, peak=60),
        Parameter("pinch", "Pinch", "%", low=-80, high=80, rest=0, peak=0, help="To the middle"),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
    ),
)
def swirl(values: Values) -> Operation | tuple[Operation, ...]:
    """Turns the picture about a point, most in the middle and not at all beyond a radius."""
    if values.angle == values.pinch == 0:
        return NOTHING
    reach, turn = values.radius / 50, np.deg2rad(values.angle)

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        middle_x, middle_y = values.centre_x / 50 - 1, (values.centre_y / 50 - 1) * half_height
        away_x, away_y = x - middle_x, y - middle_y
        share = np.clip(1 - np.hypot(away_x, away_y) / reach, 0, 1)
        soft = share * share * (3 - 2 * share)
        scale = 1 - values.pinch / 100 * soft
        cos, sin = np.cos(turn * soft) * scale, np.sin(-turn * soft) * scale
        from_x = middle_x + away_x * cos - away_y * sin
        from_y = middle_y + away_x * sin + away_y * cos
        return from_x.astype(np.float32), from_y.astype(np.float32)

    return Field(source)
