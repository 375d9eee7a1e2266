"""Fold: the picture is a sheet that is folded to and fro."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up, shaded
from epiphane.effects.turning import direction
from epiphane.types import Float32Array, Picture

_DEPTH, _SQUEEZE = 0.6, 0.35


@effect(
    key="fold",
    version=1,
    family=Family.FRAME,
    label="Fold",
    group="Layouts",
    keywords="paper accordion pleat crease concertina",
    parameters=(
        Parameter("amount", "Folded", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Folds", "", low=1, high=24, rest=5, peak=5, is_whole=True),
        Parameter("angle", "Angle", "°", low=-90, high=90, rest=0, peak=0),
        Parameter("shade", "Shade", "%", low=0, high=100, rest=65, peak=65),
        Parameter(
            "middle", "Stays", "% of width", low=0, high=100, rest=50, peak=50, help="The line that does"
        ),
    ),
)
def fold(values: Values) -> Operation | tuple[Operation, ...]:
    """Folds the picture to and fro as paper: one side of each fold is lit, the other lies in the shade."""
    if values.amount == 0:
        return NOTHING
    level, count = values.amount / 100, round(values.count)
    along, middle = direction(values.angle), values.middle / 50 - 1

    def height_at(place: Float32Array) -> Float32Array:
        """Return how far the sheet stands out, 0 to 1: a triangle wave, 0 on the line that stays."""
        return np.asarray(1 - np.abs((place - middle) * count / 2 % 2 - 1), np.float32)

    def folded(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        place = np.asarray(x * along[0] + y * along[1], np.float32)
        nearer = 1 + _DEPTH * level * (height_at(place) - 0.5)
        # Of a folded sheet more fits in the frame; the mirror image goes on at its edge.
        squeezed = middle + (place - middle) / (1 - _SQUEEZE * level)
        across, down = place * along[0], place * along[1]
        rest_x, rest_y = (x - across) / nearer, (y - down) / nearer
        from_x, from_y = squeezed * along[0] + rest_x, squeezed * along[1] + rest_y
        return np.asarray(looked_up(picture, from_x.astype(np.float32), from_y.astype(np.float32)), np.uint8)

    def shadowed(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        slope = (x * along[0] + y * along[1] - middle) * count / 2 % 2 > 1
        away = 1 - height_at(np.asarray(x * along[0] + y * along[1], np.float32))
        return shaded(
            picture, (1 - level * values.shade / 100 * (0.25 + 0.5 * away) * slope).astype(np.float32)
        )

    return Filter(folded, moves=True), Filter(shadowed)
