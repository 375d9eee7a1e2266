"""Ripple through: rings run over the picture and leave the next one behind."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import Field
from epiphane.transitions.declare import Join, Progress, Weighted, transition
from epiphane.transitions.mixing import EdgeLight, Order, as_order, edge_parameters, grid_of, in_order_lit
from epiphane.types import Float32Array, Size

_FRONT, _FADES = "behind the front", "fades"
_SOFT = 0.22


@lru_cache(maxsize=4)
def _away(size: Size) -> Order:
    return as_order(np.hypot(*grid_of(size)))


@transition(
    key="ripple-through",
    version=2,
    family=Family.FOCUS,
    label="Ripple through",
    group="Lens",
    parameters=(
        Parameter("height", "Height", "% of width", low=0, high=8, rest=0, peak=2),
        Parameter("rings", "Rings", "", low=1, high=20, rest=7, peak=7),
        ChoiceParameter(
            "goes", "It goes", (_FRONT, _FADES), _FRONT, help="Behind the front of the rings, or all at once"
        ),
        *edge_parameters(45),
    ),
    frames=(8, 10),
    keywords="water wave drop",
)
def ripple_through(values: Values, progress: Progress) -> Join:
    """Sends rings outwards from the middle, as of a drop in water, while this picture fades into the next."""
    height = 2 * values.height / 100 * progress.nearness

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        away = np.sqrt(x * x + y * y) + np.float32(1e-6)
        wave = np.sin(2 * np.pi * (values.rings / 2) * (away - 2 * progress.share))
        factor = (1 + height * wave / away * np.minimum(1, 4 * away)).astype(np.float32)
        return x * factor, y * factor

    if values.goes == _FADES:
        return Join(Weighted(1 - progress.share, progress.share), after=(Field(source),))
    mixture = in_order_lit(_away, progress, _SOFT, EdgeLight.of(values))
    return Join(mixture, after=(Field(source),))
