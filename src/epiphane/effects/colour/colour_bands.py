"""Colour bands: each step of brightness has a colour, and they wander."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import turned_share
from epiphane.types import Picture

_COLOURS = ("dark", "low", "middle", "high")
_CONTOUR_WIDTH = 0.07


@effect(
    key="colour-bands",
    version=1,
    family=Family.COLOUR,
    label="Colour bands",
    group="Few colours",
    keywords="heat map thermal contour psychedelic false colour topographic",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Bands", "", low=2, high=24, rest=6, peak=6, is_whole=True),
        Parameter("drift", "Wander", "a second", low=-2, high=2, rest=0.25, peak=0.25),
        Parameter("contour", "Contours", "%", low=0, high=100, rest=55, peak=55),
        ColourParameter("dark", "First", "#14143c"),
        ColourParameter("low", "Second", "#783296"),
        ColourParameter("middle", "Third", "#f0505a"),
        ColourParameter("high", "Fourth", "#ffc83c"),
    ),
    needs=(Need.TIME,),
)
def colour_bands(values: Values) -> Operation | tuple[Operation, ...]:
    """Gives each step of brightness a colour of its own; the bands wander, the brightest parts turn first."""
    if values.amount == 0:
        return NOTHING
    levels = np.arange(256) / 255
    place = levels * values.count + values.seconds * values.drift * values.count
    colours = np.array([colour_to_bgr(getattr(values, name)) for name in _COLOURS]) * 255
    edge = np.minimum(place % 1, 1 - place % 1)
    dimmed = 1 - values.contour / 100 * np.exp(-((edge / _CONTOUR_WIDTH) ** 2))
    table = np.rint(colours[np.floor(place).astype(int) % len(colours)] * dimmed[:, None]).astype(np.uint8)
    share = turned_share(levels, values.amount / 100).astype(np.float32)

    def apply(picture: Picture) -> Picture:
        reach = max(1, round(picture.shape[1] / 240)) | 1
        grey = cv2.blur(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY), (reach, reach))
        bands = cv2.LUT(cv2.merge([grey] * 3), table[None])
        if values.amount >= 100:
            return np.asarray(bands, np.uint8)
        weight = cv2.LUT(grey, share)
        return np.asarray(cv2.blendLinear(bands, np.ascontiguousarray(picture), weight, 1 - weight), np.uint8)

    return Filter(apply)
