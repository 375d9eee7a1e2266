"""Tilt and shift: sharp in one band alone, as if it were a model."""

from functools import partial

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import saturation_matrix, softened, spread_light
from epiphane.types import FloatArray, Picture

_SOFT, _SOFTER = 0.4, 1.0
_NEAR, _FAR = 0.14, 0.22
"""Over which shares of the height it goes from sharp to soft, and from that to softer."""


@effect(
    key="tilt-shift",
    version=1,
    family=Family.FOCUS,
    label="Tilt and shift",
    group="Blur",
    keywords="miniature model depth of field lens toy",
    parameters=(
        Parameter("radius", "Radius", "% of width", low=0, high=8, rest=0, peak=3),
        Parameter("centre", "Sharp at", "%", low=0, high=100, rest=58, peak=58),
        Parameter("band", "Band", "%", low=1, high=100, rest=16, peak=16),
        Parameter("colour", "Colour", "%", low=0, high=200, rest=100, peak=135),
    ),
)
def tilt_shift(values: Values) -> Operation | tuple[Operation, ...]:
    """Leaves one band sharp and all above and below it more and more out of focus, in stronger colours."""
    if values.radius == 0 and values.colour == 100:
        return NOTHING
    sigma, matrix = values.radius / 100, saturation_matrix(values.colour / 100).astype(np.float32)

    def apply(picture: Picture) -> Picture:
        height = picture.shape[0]
        away = np.abs((np.arange(height) + 0.5) / height - values.centre / 100) - values.band / 200
        done = picture
        for share, start, over in ((_SOFT, 0.0, _NEAR), (_SOFTER, _NEAR, _FAR)):
            soft = spread_light(picture, partial(softened, sigma=sigma * share))
            done = _by_rows(done, soft, np.clip((away - start) / over, 0, 1))
        return np.asarray(cv2.transform(done, matrix), np.uint8)

    return Filter(apply)


def _by_rows(picture: Picture, other: Picture, share: FloatArray) -> Picture:
    """Return two pictures mixed by a share for each row, float64, shape (height,)."""
    weights = np.repeat(share.astype(np.float32)[:, None], picture.shape[1], axis=1)
    return np.asarray(cv2.blendLinear(other, np.ascontiguousarray(picture), weights, 1 - weights), np.uint8)
