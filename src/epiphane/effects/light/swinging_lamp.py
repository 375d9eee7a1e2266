"""Swinging lamp: only what a cone of warm light meets is seen."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points
from epiphane.effects.shining import relit
from epiphane.types import Picture

_STEP, _GAIN = 8, 1.9


@effect(
    key="swinging-lamp",
    version=1,
    family=Family.LIGHT,
    label="Swinging lamp",
    group="Lamps",
    keywords="spotlight torch cone interrogation pendulum",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("size", "Size", "% of width", low=5, high=100, rest=34, peak=34),
        Parameter("swing", "Swing", "% of width", low=0, high=60, rest=32, peak=32),
        Parameter("rate", "Rate", "a second", low=0, high=3, rest=0.45, peak=0.45),
        Parameter("dark", "Dark", "%", low=0, high=100, rest=92, peak=92, help="Beside the light"),
        ColourParameter("colour", "Colour", "#ffd69e"),
    ),
    needs=(Need.TIME,),
    lasts=True,
)
def swinging_lamp(values: Values) -> Operation | tuple[Operation, ...]:
    """Leaves only what a cone of warm light meets, which swings to and fro; it is brighter there."""
    if values.amount == 0:
        return NOTHING
    level, colour = values.amount / 100, np.array(colour_to_bgr(values.colour))
    way = np.sin(2 * np.pi * values.rate * values.seconds + 0.9)
    cos, sin = np.cos(0.5 * way), np.sin(0.5 * way)

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture, _STEP)
        height = picture.shape[0] / picture.shape[1]
        across = x / 2 - values.swing / 100 * way
        down = y / 2 + (0.05 - 0.1 * (1 - way * way)) * height
        along, beside = across * cos + down * sin, 0.78 * (down * cos - across * sin)
        cone = np.clip(1.25 - np.hypot(along, beside) / (values.size / 100), 0, 1) ** 1.5
        light = 1 - level * values.dark / 100 + level * _GAIN * cone
        return relit(picture, (light[..., None] * colour**level).astype(np.float32))

    return Filter(apply)
