"""Blinds: the next picture comes in strips."""

from functools import lru_cache

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import EdgeLight, Order, as_order, edge_parameters, grid_of, in_order_lit
from epiphane.types import Size


@transition(
    key="blinds",
    version=1,
    family=Family.FRAME,
    label="Blinds",
    group="Wipes",
    parameters=(
        Parameter("strips", "Strips", "", low=2, high=40, rest=9, peak=9, is_whole=True),
        direction_parameter("right"),
        Parameter("softness", "Softness", "%", low=0, high=100, rest=8, peak=8),
        *edge_parameters(),
        Parameter("lag", "One after the other", "%", low=0, high=100, rest=40, peak=40),
    ),
    keywords="venetian strips bars shutter",
)
def blinds(values: Values, progress: Progress) -> Join:
    """Opens strips side by side, at once or one after the other, through which the next picture shows."""
    strips, lag = round(values.strips), values.lag / 100

    def order(size: Size) -> Order:
        return _order(size, values.direction, strips, lag)

    return Join(in_order_lit(order, progress, values.softness / 100, EdgeLight.of(values)))


@lru_cache(maxsize=8)
def _order(size: Size, direction: str, strips: int, lag: float) -> Order:
    x, y = grid_of(size)
    across = (x + 1) / 2 if direction in ("left", "right") else (y * size[0] / size[1] + 1) / 2
    if direction in ("left", "up"):
        across = 1 - across
    along = (across * strips) % 1
    number = (across * strips) // 1 / max(1, strips - 1)
    return as_order((1 - lag) * along + lag * number * strips / (strips + 1) + lag * along / (strips + 1))
