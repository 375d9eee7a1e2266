"""Crop step: closer in whole steps, from one part of the picture to another."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, Warp

_CORNERS = {
    "middle": (0.5, 0.5),
    "upper left": (0.0, 0.0),
    "upper right": (1.0, 0.0),
    "lower left": (0.0, 1.0),
    "lower right": (1.0, 1.0),
}


@effect(
    key="notch",
    version=1,
    family=Family.FRAME,
    label="Crop step",
    group="Layouts",
    parameters=(
        Parameter("steps", "Steps", "", low=0, high=8, rest=0, peak=2, is_whole=True),
        Parameter("size", "A step", "%", low=2, high=50, rest=15, peak=15),
        ChoiceParameter("towards", "Towards", tuple(_CORNERS), "middle"),
    ),
)
def crop_step(values: Values) -> Operation | tuple[Operation, ...]:
    """Crops the picture closer in whole steps, without moving in between: each step shows less of it."""
    n_steps = round(values.steps)
    if n_steps == 0:
        return NOTHING
    scale = (1 - values.size / 100) ** -n_steps
    x, y = _CORNERS[values.towards]
    return Warp(np.array([[scale, 0, x - scale * x], [0, scale, y - scale * y], [0, 0, 1.0]]))
