"""Tunnel: the picture is the walls of a shaft one falls into."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up, shaded
from epiphane.types import Picture

_LEAST, _OPEN, _DARK_AT = 0.012, 1.25, 0.45


@effect(
    key="tunnel",
    version=1,
    family=Family.MOTION,
    label="Tunnel",
    group="Warps",
    keywords="shaft fall wormhole vortex infinite",
    parameters=(
        Parameter("amount", "Opened", "%", low=0, high=100, rest=0, peak=100),
        Parameter("depth", "Depth", "%", low=5, high=200, rest=42, peak=42),
        Parameter("rate", "Speed", "a second", low=-4, high=4, rest=0.5, peak=0.5),
        Parameter("turn", "Turns", "a second", low=-2, high=2, rest=0.12, peak=0.12),
        Parameter("sides", "Walls", "", low=2, high=12, rest=4, peak=4, is_whole=True),
        Parameter("dark", "Dark end", "%", low=0, high=100, rest=75, peak=75),
    ),
    needs=(Need.TIME,),
)
def tunnel(values: Values) -> Operation | tuple[Operation, ...]:
    """Opens a shaft in the middle, whose walls are the picture, and falls into it."""
    if values.amount == 0:
        return NOTHING
    # An even number: an odd one would leave a seam where the turn begins.
    level, sides = values.amount / 100, 2 * round(values.sides / 2)

    def walls(picture: Picture) -> Picture:
        x, y = coarse_points(picture, 2)
        half_height = picture.shape[0] / picture.shape[1]
        away = np.maximum(np.hypot(x, y), _LEAST)
        along = values.depth / 100 / away + values.seconds * values.rate
        around = np.arctan2(y, x) * sides / (2 * np.pi) + values.turn * values.seconds
        # There and back again: the walls have no seam.
        wall_x = 2 * np.abs(around % 2 - 1) - 1
        wall_y = (2 * np.abs(along % 2 - 1) - 1) * half_height
        is_open = away < _OPEN * level
        done = looked_up(picture, np.where(is_open, wall_x, x), np.where(is_open, wall_y, y))
        return np.asarray(done, np.uint8)

    def darkened(picture: Picture) -> Picture:
        away = np.hypot(*coarse_points(picture))
        dark = values.dark / 100 * np.clip(1 - away / _DARK_AT, 0, 1) * (away < _OPEN * level)
        return shaded(picture, (1 - dark).astype(np.float32))

    return Filter(walls, moves=True), Filter(darkened)
