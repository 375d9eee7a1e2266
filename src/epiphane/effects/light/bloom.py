"""Bloom: light that falls on the picture from a point and grows."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, coloured, screened
from epiphane.effects.shining import lit
from epiphane.types import Float32Array, Picture

_LIGHT, _VEIL = "light", "a veil"
_FALL, _CORE = 2.2, 1.6
_STEP, _OPEN = 8, 70.0


@effect(
    key="bloom",
    version=2,
    family=Family.LIGHT,
    label="Bloom",
    group="Glow",
    keywords="light opening sun burst",
    parameters=(
        Parameter("radius", "Radius", "% of width", low=0, high=150, rest=0, peak=70),
        ChoiceParameter(
            "of",
            "It is",
            (_LIGHT, _VEIL),
            _LIGHT,
            help="Light lifts what it falls on; a veil lies over it",
        ),
        Parameter(
            "stops", "Stops", "stops", low=0, high=6, rest=3.2, peak=3.2, help="Of light, at the point"
        ),
        Parameter("softness", "Softness", "%", low=1, high=100, rest=60, peak=60),
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=60, peak=60),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        ColourParameter("colour", "Colour", "#fff8ea"),
    ),
)
def bloom(values: Values) -> Operation | tuple[Operation, ...]:
    """Opens light over the picture, from a point to all of it."""
    radius = values.radius / 50  # in half widths
    if radius == 0 or values.opacity == 0:
        return NOTHING
    colour = np.array(colour_to_bgr(values.colour))

    def away(picture: Picture) -> Float32Array:
        x, y = coarse_points(picture, _STEP if values.of == _LIGHT else 4)
        half_height = picture.shape[0] / picture.shape[1]
        away_x, away_y = x - (values.centre_x / 50 - 1), y - (values.centre_y / 50 - 1) * half_height
        return np.asarray(np.hypot(away_x, away_y), np.float32)

    def shone_on(picture: Picture) -> Picture:
        # Nothing at a radius of nothing: what the point lifts grows with it.
        fall = (1 / (1 + (_FALL * away(picture) / radius) ** 3)).astype(np.float32)
        opened = min(values.radius / _OPEN, 1.0)
        gain = np.exp2(np.float32(values.stops * opened) * fall)
        core = np.float32(values.opacity / 100 * _CORE * opened) * fall**4
        return lit(picture, core[..., None] * colour.astype(np.float32), gain)

    def veiled(picture: Picture) -> Picture:
        edge = max(radius * values.softness / 100, 1e-3)
        share = np.clip((radius - away(picture)) / edge, 0, 1)
        light = (share * share * (3 - 2 * share) * (values.opacity / 100)).astype(np.float32)
        return screened(picture, coloured(light, colour))

    return Filter(shone_on if values.of == _LIGHT else veiled)
