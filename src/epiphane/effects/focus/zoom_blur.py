"""Zoom blur: as if the lens had zoomed while the picture was taken."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation, spreading
from epiphane.types import Pixels

_DOUBLINGS = 4


@effect(
    key="rush",
    version=1,
    family=Family.FOCUS,
    label="Zoom blur",
    group="Blur",
    keywords="radial blur punch",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=38),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
    ),
    needs=(Need.LIGHT,),
)
def rush(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws the picture out towards a point, more the farther away it is."""
    if values.amount == 0:
        return NOTHING
    whole = np.log(1 + values.amount / 100)

    def drawn_out(picture: Pixels) -> Pixels:
        height, width = picture.shape[:2]
        shrink = 2 if values.amount / 200 * width > 24 and min(width, height) >= 8 else 1
        size = (-(-width // shrink), -(-height // shrink))
        done = picture if shrink == 1 else np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
        x, y = values.centre_x / 100 * size[0] - 0.5, values.centre_y / 100 * size[1] - 0.5
        for number in range(_DOUBLINGS):  # each step halves what is there with itself enlarged
            scale = np.exp(whole * 2**number / (2**_DOUBLINGS - 1))
            matrix = np.array([[scale, 0, x - scale * x], [0, scale, y - scale * y]])
            larger = cv2.warpAffine(done, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
            done = np.asarray(cv2.addWeighted(done, 0.5, larger, 0.5, 0))
        return np.asarray(done if shrink == 1 else cv2.resize(done, (width, height)))

    return spreading(drawn_out, in_light=bool(values.in_light))
