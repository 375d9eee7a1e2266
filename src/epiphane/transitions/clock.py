"""Clock wipe: a hand goes round."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import EdgeLight, Order, as_order, edge_parameters, grid_of, in_order_lit
from epiphane.types import Size


@transition(
    key="clock",
    version=1,
    family=Family.FRAME,
    label="Clock wipe",
    group="Wipes",
    parameters=(
        ChoiceParameter("turn", "Turns", ("clockwise", "anticlockwise"), "clockwise"),
        Parameter("hands", "Hands", "", low=1, high=8, rest=1, peak=1, is_whole=True),
        Parameter("softness", "Softness", "%", low=0, high=100, rest=6, peak=6),
        *edge_parameters(),
    ),
    keywords="radial sweep angle",
)
def clock(values: Values, progress: Progress) -> Join:
    """Lets hands go round the middle, from twelve o'clock on, that leave the next picture behind them."""

    def order(size: Size) -> Order:
        return _order(size, round(values.hands), values.turn)

    return Join(in_order_lit(order, progress, values.softness / 100, EdgeLight.of(values)))


@lru_cache(maxsize=8)
def _order(size: Size, n_hands: int, turn: str) -> Order:
    x, y = grid_of(size)
    angle = np.arctan2(x, -y) if turn == "clockwise" else np.arctan2(-x, -y)
    return as_order((angle / (2 * np.pi) * n_hands) % 1)
