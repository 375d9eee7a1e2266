"""Bloom: a soft-edged disc of light that grows."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, coloured, screened
from epiphane.types import Picture


@effect(
    key="bloom",
    version=1,
    family=Family.LIGHT,
    label="Bloom",
    parameters=(
        Parameter("radius", "Radius", "% of width", low=0, high=150, rest=0, peak=45),
        Parameter("softness", "Softness", "%", low=1, high=100, rest=60, peak=60),
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=90, peak=90),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        ColourParameter("colour", "Colour", "#fff8ea"),
    ),
)
def bloom(values: Values) -> Operation | tuple[Operation, ...]:
    """Opens a soft-edged disc of light over the picture, from a point to all of it."""
    radius = values.radius / 50  # in half widths
    if radius == 0 or values.opacity == 0:
        return NOTHING
    colour = np.array(colour_to_bgr(values.colour))
    edge = max(radius * values.softness / 100, 1e-3)

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        half_height = picture.shape[0] / picture.shape[1]
        away = np.hypot(x - (values.centre_x / 50 - 1), y - (values.centre_y / 50 - 1) * half_height)
        share = np.clip((radius - away) / edge, 0, 1)
        light = (share * share * (3 - 2 * share) * (values.opacity / 100)).astype(np.float32)
        return screened(picture, coloured(light, colour))

    return Filter(apply)
