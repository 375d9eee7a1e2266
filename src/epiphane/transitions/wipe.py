"""Wipe: a soft edge goes over the picture at any angle."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import EdgeLight, Order, as_order, edge_parameters, grid_of, in_order_lit
from epiphane.types import Size


@transition(
    key="wipe",
    version=1,
    family=Family.FRAME,
    label="Soft wipe",
    group="Wipes",
    parameters=(
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=20, peak=20),
        Parameter("softness", "Softness", "%", low=0, high=100, rest=25, peak=25),
        *edge_parameters(),
    ),
    keywords="edge gradient linear",
)
def wipe(values: Values, progress: Progress) -> Join:
    """Draws an edge over the picture behind which the next one lies: 0° goes to the right, 90° down."""

    def order(size: Size) -> Order:
        return _order(size, values.angle)

    return Join(in_order_lit(order, progress, values.softness / 100, EdgeLight.of(values)))


@lru_cache(maxsize=8)
def _order(size: Size, angle: float) -> Order:
    x, y = grid_of(size)
    return as_order(x * np.cos(np.radians(angle)) + y * np.sin(np.radians(angle)))
