"""One hue kept: all other colours are grey."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import LUMA
from epiphane.types import Picture

_UNIT = 120


@effect(
    key="kept-hue",
    version=1,
    family=Family.COLOUR,
    label="One hue kept",
    group="Tints",
    keywords="selective colour splash pop isolate",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("hue", "Hue", "°", low=0, high=360, rest=0, peak=0, help="0 is red, 120 green, 240 blue"),
        Parameter("width", "Width", "°", low=5, high=120, rest=28, peak=28),
        Parameter("boost", "Boost", "%", low=50, high=250, rest=140, peak=140, help="Of what is kept"),
    ),
)
def kept_hue(values: Values) -> Operation | tuple[Operation, ...]:
    """Keeps one hue, stronger than it was, and takes the colour of all others away."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    away = np.abs((2 * np.arange(256) - values.hue + 180) % 360 - 180)
    kept = np.clip(1.6 - away / values.width, 0, 1) * values.boost / 100
    table = np.clip(np.rint(_UNIT * (1 - level + level * kept)), 0, 255).astype(np.uint8)

    def apply(picture: Picture) -> Picture:
        gains = cv2.LUT(cv2.extractChannel(cv2.cvtColor(picture, cv2.COLOR_BGR2HSV), 0), table)
        grey = cv2.merge([cv2.transform(picture, LUMA[None])] * 3)
        colour = cv2.subtract(picture, grey, dtype=cv2.CV_16S)
        kept_colour = cv2.multiply(colour, cv2.merge([gains] * 3), scale=1 / _UNIT, dtype=cv2.CV_16S)
        return np.asarray(cv2.add(grey, kept_colour, dtype=cv2.CV_8U), np.uint8)

    return Filter(apply)
