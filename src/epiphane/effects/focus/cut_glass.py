"""Cut glass: facets round a clean middle, each showing another part of the picture."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up
from epiphane.types import Picture

_OTHER_WAY, _SEAM, _INNER = -0.75, 0.015, 0.7


@effect(
    key="cut-glass",
    version=1,
    family=Family.FOCUS,
    label="Cut glass",
    group="Broken",
    keywords="facets crystal prism lens kaleidoscope filter multiply",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=40, rest=0, peak=16),
        Parameter("count", "Facets", "", low=3, high=12, rest=6, peak=6, is_whole=True),
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=0, peak=0),
        Parameter("inner", "Clean middle", "%", low=0, high=80, rest=30, peak=30),
        Parameter("enlarge", "Enlarges", "%", low=0, high=80, rest=0, peak=18),
        Parameter("spread", "Colours apart", "% of width", low=0, high=4, rest=0, peak=0),
    ),
)
def cut_glass(values: Values) -> Operation | tuple[Operation, ...]:
    """Puts a cut glass before the lens: facets round a clean middle, each with a part from elsewhere."""
    if values.reach == values.enlarge == values.spread == 0:
        return NOTHING
    sector, start = 2 * np.pi / round(values.count), np.deg2rad(values.angle)

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture, 2)
        half_height = picture.shape[0] / picture.shape[1]
        away, around = np.hypot(x, y), np.arctan2(y, x)
        number = np.floor((around - start) / sector)
        middle = (number + 0.5) * sector + start
        # The clean part is a polygon: its edge lies square to each facet.
        outward = away * np.cos(around - middle) / np.hypot(1, half_height)
        share = np.clip((outward - values.inner / 100 * _INNER) / _SEAM, 0, 1)
        push = share * np.where(number % 2 == 0, 1, _OTHER_WAY) * values.reach / 50
        scale = 1 - share * (1 - 1 / (1 + values.enlarge / 100))
        across, down = np.cos(middle), np.sin(middle)
        from_x, from_y, apart = x * scale - push * across, y * scale - push * down, share * values.spread / 50
        if values.spread == 0:
            return np.asarray(looked_up(picture, from_x, from_y), np.uint8)
        planes = [
            looked_up(plane, from_x + way * apart * across, from_y + way * apart * down)
            for plane, way in zip(cv2.split(picture), (1, 0, -1), strict=True)
        ]
        return np.asarray(cv2.merge(planes), np.uint8)

    return Filter(apply, moves=True)
