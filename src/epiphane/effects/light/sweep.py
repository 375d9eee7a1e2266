"""Light sweep: a glowing band that travels across."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, coloured, screened
from epiphane.effects.shining import lit
from epiphane.types import FloatArray, Picture

_LIGHT, _VEIL = "light", "a veil"
_STEP, _WIDE, _NARROW = 8, 3.0, 16.0
_CORE, _RIM = 0.45, 0.16


@effect(
    key="sweep",
    version=2,
    family=Family.LIGHT,
    label="Light sweep",
    group="Rays and leaks",
    keywords="leak shine",
    parameters=(
        Parameter("place", "Place", "%", low=0, high=100, rest=100, peak=50),
        ChoiceParameter(
            "of", "It is", (_LIGHT, _VEIL), _LIGHT, help="Light lifts what it falls on; a veil lies over it"
        ),
        Parameter("stops", "Stops", "stops", low=0, high=6, rest=2.6, peak=2.6, help="Of light"),
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=85, peak=85),
        Parameter("width", "Width", "%", low=1, high=100, rest=30, peak=30),
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

    def away(picture: Picture, step: int) -> FloatArray:
        x, y = coarse_points(picture, step)
        # From just outside the one corner to just outside the other.
        far = abs(np.cos(turn)) + abs(np.sin(turn)) * picture.shape[0] / picture.shape[1] + reach
        return np.asarray((x * np.cos(turn) + y * np.sin(turn) - (2 * values.place / 100 - 1) * far) / reach)

    def shone_on(picture: Picture) -> Picture:
        square = away(picture, _STEP).astype(np.float32) ** 2
        wide, narrow = np.exp(-_WIDE * square), np.exp(-_NARROW * square)
        light = narrow[..., None] * (core * _CORE) + wide[..., None] * (rim * _RIM)
        gain = np.float32(2) ** (np.float32(values.stops * values.opacity / 100) * wide)
        return lit(picture, (light * (values.opacity / 100)).astype(np.float32), gain)

    def veiled(picture: Picture) -> Picture:
        off = np.abs(away(picture, 4))
        light = (np.clip(1 - off, 0, 1) ** 2 * (values.opacity / 100)).astype(np.float32)
        inner = np.clip(1 - 2 * off, 0, 1).astype(np.float32)
        both = coloured(light * (1 - inner), rim) + coloured(light * inner, core)
        return screened(picture, both)

    return Filter(shone_on if values.of == _LIGHT else veiled)
