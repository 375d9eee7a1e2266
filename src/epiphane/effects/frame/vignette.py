"""Vignette: darker towards the corners."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, shaded
from epiphane.types import Picture


@effect(
    key="vignette",
    version=1,
    family=Family.FRAME,
    label="Vignette",
    group="Edges",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=85),
        Parameter("reach", "Reach", "%", low=5, high=100, rest=75, peak=75),
        Parameter("roundness", "Roundness", "%", low=0, high=100, rest=50, peak=50),
    ),
    lasts=True,
)
def vignette(values: Values) -> Operation | tuple[Operation, ...]:
    """Darkens the picture towards its corners."""
    if values.amount == 0:
        return NOTHING
    amount, start = values.amount / 100, 1 - values.reach / 100
    round_share = values.roundness / 100

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        half_height = picture.shape[0] / picture.shape[1]
        oval = (x * x + (y / half_height) ** 2) / 2
        circle = (x * x + y * y) / (1 + half_height**2)
        away = np.sqrt(oval + round_share * (circle - oval))
        share = np.clip((away - start) / max(1 - start, 1e-3), 0, 1)
        return shaded(picture, 1 - amount * share * share * (3 - 2 * share))

    return Filter(apply)
