"""Little planet: the picture is bent into a ring."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up
from epiphane.types import Picture

_BELOW, _ABOVE = "the lower edge", "the upper edge"
_BULGE = 0.8


@effect(
    key="little-planet",
    version=1,
    family=Family.FRAME,
    label="Little planet",
    group="Layouts",
    keywords="polar coordinates stereographic globe ring tube",
    parameters=(
        Parameter("amount", "Bent", "%", low=0, high=100, rest=0, peak=100),
        Parameter("size", "Size", "% of width", low=15, high=120, rest=55, peak=55),
        Parameter("turn", "Turn", "°", low=-360, high=360, rest=0, peak=0),
        ChoiceParameter("middle", "In the middle", (_BELOW, _ABOVE), _BELOW),
    ),
)
def little_planet(values: Values) -> Operation | tuple[Operation, ...]:
    """Bends the picture into a ring whose middle is one of its edges; its sides are mirrored and meet."""
    if values.amount == 0:
        return NOTHING
    level, reach, turn = values.amount / 100, values.size / 50, values.turn / 360 + 0.25

    def bent(picture: Picture) -> Picture:
        x, y = coarse_points(picture, 2)
        half_height = picture.shape[0] / picture.shape[1]
        around = (np.arctan2(y, x) / (2 * np.pi) + turn) % 1
        outwards = np.clip(np.hypot(x, y) / reach, 0, 1) ** _BULGE
        across = 2 * np.abs(2 * around - 1) - 1
        down = (1 - 2 * outwards if values.middle == _BELOW else 2 * outwards - 1) * half_height
        from_x, from_y = x + level * (across - x), y + level * (down - y)
        return np.asarray(looked_up(picture, from_x.astype(np.float32), from_y.astype(np.float32)), np.uint8)

    return Filter(bent, moves=True)
