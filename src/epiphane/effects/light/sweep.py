"""Light sweep: a glowing band that travels across."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, coloured, screened
from epiphane.types import Picture


@effect(
    key="sweep",
    version=1,
    family=Family.LIGHT,
    label="Light sweep",
    keywords="leak shine",
    parameters=(
        Parameter("place", "Place", "%", low=0, high=100, rest=100, peak=15),
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=85, peak=85),
        Parameter("width", "Width", "%", low=1, high=100, rest=22, peak=22),
        Parameter("angle", "Angle", "°", low=-90, high=90, rest=20, peak=20),
        ColourParameter("colour", "Core", "#ffffff"),
        ColourParameter("rim", "Rim", "#ffb45a"),
    ),
)
def sweep(values: Values) -> Operation | tuple[Operation, ...]:
    """Sends a band of light across the picture, with rims of another colour.

    It is beyond the picture at both ends of its way, and crosses it while the envelope falls.
    """
    if values.opacity == 0 or values.place in (0, 100):
        return NOTHING
    turn = np.deg2rad(values.angle)
    core, rim = (np.array(colour_to_bgr(text)) for text in (values.colour, values.rim))
    reach = values.width / 100

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        # From just outside the one corner to just outside the other.
        far = abs(np.cos(turn)) + abs(np.sin(turn)) * picture.shape[0] / picture.shape[1] + reach
        away = np.abs(x * np.cos(turn) + y * np.sin(turn) - (2 * values.place / 100 - 1) * far) / reach
        light = (np.clip(1 - away, 0, 1) ** 2 * (values.opacity / 100)).astype(np.float32)
        inner = np.clip(1 - 2 * away, 0, 1).astype(np.float32)
        both = coloured(light * (1 - inner), rim) + coloured(light * inner, core)
        return screened(picture, both)

    return Filter(apply)
