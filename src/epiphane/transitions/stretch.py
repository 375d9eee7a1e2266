"""Stretch: this picture is drawn out sideways, and the next one springs back from it."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import Warp
from epiphane.transitions.declare import Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import mixed_about_the_middle, shutter_parameter

_EDGES = {"left": (0, 0), "right": (0, 1), "up": (1, 0), "down": (1, 1)}
"""For each direction: the axis, and where on it the edge lies that stays."""


@transition(
    key="stretch",
    version=2,
    family=Family.MOTION,
    label="Stretch",
    group="Moves",
    parameters=(
        direction_parameter("right"),
        Parameter("length", "Drawn out to", "%", low=100, high=800, rest=100, peak=400),
        shutter_parameter(),
    ),
    frames=(6, 6),
    keywords="squash elastic pull",
)
def stretch(values: Values, progress: Progress) -> Join:
    """Draws this picture out along a direction; the next one shrinks from it to its own length."""
    axis, edge = _EDGES[values.direction]
    most = values.length / 100

    def drawn_out(factor: float, still: float) -> Warp:
        matrix = np.eye(3)
        matrix[axis, axis], matrix[axis, 2] = factor, still * (1 - factor)
        return Warp(matrix)

    outgoing = drawn_out(most ** (2 * progress.share), 1 - edge)
    incoming = drawn_out(most ** (2 - 2 * progress.share), edge)
    mixture = mixed_about_the_middle(progress, 0.3)
    # Both grow or shrink alike: the mixture is blurred by how fast, about the edge that stays.
    growth, still = most ** (2 * progress.step), 1 - edge if progress.share < 0.5 else edge
    smear = Warp(np.eye(3), drawn_out(growth, still).matrix, values.shutter / 360, in_light=progress.in_light)
    blur = (growth - 1) / 2 * values.shutter / 360
    return Join(mixture, (outgoing,), (incoming,), (smear,), blur)
