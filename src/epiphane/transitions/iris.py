"""Iris: the next picture opens from a point, or this one closes to it."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import EdgeLight, Order, as_order, edge_parameters, grid_of, in_order_lit
from epiphane.types import FloatArray, Size


@transition(
    key="iris",
    version=1,
    family=Family.FRAME,
    label="Iris",
    group="Wipes",
    parameters=(
        ChoiceParameter("shape", "Shape", ("circle", "diamond", "box", "star"), "circle"),
        ChoiceParameter("way", "Way", ("opens", "closes"), "opens"),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        Parameter("softness", "Softness", "%", low=0, high=100, rest=8, peak=8),
        *edge_parameters(),
    ),
    keywords="circle hole spot aperture",
)
def iris(values: Values, progress: Progress) -> Join:
    """Opens a hole round a point through which the next picture shows, or closes this one down to it."""

    def order(size: Size) -> Order:
        return _order(size, values.shape, values.way, (values.centre_x, values.centre_y))

    return Join(in_order_lit(order, progress, values.softness / 100, EdgeLight.of(values)))


@lru_cache(maxsize=8)
def _order(size: Size, shape: str, way: str, middle: tuple[float, float]) -> Order:
    x, y = grid_of(size)
    x = x - (middle[0] / 50 - 1)
    y = y - (middle[1] / 50 - 1) * size[1] / size[0]
    away = _distance(x, y, shape)
    return as_order(away if way == "opens" else -away)


def _distance(x: FloatArray, y: FloatArray, shape: str) -> FloatArray:
    if shape == "diamond":
        return np.asarray(np.abs(x) + np.abs(y))
    if shape == "box":
        return np.asarray(np.maximum(np.abs(x), np.abs(y) * 16 / 9))
    away = np.hypot(x, y)
    if shape == "star":
        return np.asarray(away * (1 + 0.35 * np.cos(5 * np.arctan2(x, -y) + np.pi)))
    return np.asarray(away)
