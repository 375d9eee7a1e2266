"""Directional blur: as if the picture had moved while it was taken."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation, spreading
from epiphane.effects.pixels import moved
from epiphane.effects.turning import direction
from epiphane.types import Pixels

_DOUBLINGS = 4


@effect(
    key="streak",
    version=1,
    family=Family.FOCUS,
    label="Directional blur",
    group="Blur",
    keywords="whip motion blur speed lines",
    parameters=(
        Parameter("length", "Length", "% of width", low=0, high=40, rest=0, peak=12),
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=0, peak=0),
    ),
    needs=(Need.LIGHT,),
)
def streak(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws the picture out along a line, evenly to both sides."""
    if values.length == 0:
        return NOTHING
    way = direction(values.angle) * values.length / 100

    def drawn_out(picture: Pixels) -> Pixels:
        height, width = picture.shape[:2]
        # Doubling: each step halves what is there with itself moved on, so four steps are 16 samples.
        shrink = 2 if values.length / 100 * width > 24 and min(width, height) >= 8 else 1
        size = (-(-width // shrink), -(-height // shrink))
        done = picture if shrink == 1 else np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
        whole = way * size[0]
        for number in range(_DOUBLINGS):
            step = whole * 2**number / (2**_DOUBLINGS - 1)
            done = np.asarray(cv2.addWeighted(done, 0.5, moved(done, step), 0.5, 0))
        done = moved(done, -whole / 2)
        return np.asarray(done if shrink == 1 else cv2.resize(done, (width, height)))

    return spreading(drawn_out, in_light=bool(values.in_light))
