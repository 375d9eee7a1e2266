"""Light sweep: a band of light goes over the picture and leaves the next one behind it."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.effects.pixels import coarse_points
from epiphane.effects.shining import lit
from epiphane.effects.turning import direction
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import Order, as_order, grid_of, in_order, masked
from epiphane.types import Picture, Size

_LIFT, _CORE = 0.5, 0.35


@transition(
    key="sweep-through",
    version=1,
    family=Family.LIGHT,
    label="Light sweep",
    group="Light",
    parameters=(
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=18, peak=18),
        Parameter("width", "Width", "%", low=2, high=80, rest=24, peak=24),
        Parameter("stops", "Brighter", "stops", low=0, high=6, rest=0, peak=3.4),
        ColourParameter("colour", "Colour", "#ffe2b4"),
    ),
    frames=(7, 9),
    keywords="shine gleam lamp beam pass wipe",
)
def sweep_through(values: Values, progress: Progress) -> Join:
    """Sends a band of light across that burns the picture out; what comes out of it is the next one."""
    along = direction(values.angle)
    wide = values.width / 100
    colour = np.array(colour_to_bgr(values.colour), np.float32)
    # From beyond one edge to beyond the other.
    place = (progress.share * (1 + 2 * wide) - wide) * 2 - 1
    mask = in_order(
        lambda size: _order(size, values.angle), progress.share * (1 + 2 * wide) - wide, wide / 3
    ).mask

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        done = masked(outgoing, incoming, mask((width, height)), in_light=progress.in_light)
        x, y = coarse_points(done, 8)
        reach = abs(along[0]) + abs(along[1]) * height / width
        away = (x * along[0] + y * along[1]) / np.float32(reach) - np.float32(place)
        band = np.exp(-((away / wide) ** 2)).astype(np.float32)
        core = np.exp(-((away / (_CORE * wide)) ** 2)).astype(np.float32)
        gain = np.float32(2.0) ** np.minimum(np.float32(values.stops) * band, 4)
        light = (core * np.float32(_LIFT * min(values.stops / 3, 1)))[..., None] * colour
        return lit(done, np.asarray(light, np.float32), gain)

    return Join(Composed(apply))


@lru_cache(maxsize=8)
def _order(size: Size, angle: float) -> Order:
    x, y = grid_of(size)
    along = direction(angle)
    return as_order(x * along[0] + y * along[1])
