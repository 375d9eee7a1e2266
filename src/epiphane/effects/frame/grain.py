"""Grain: the noise of film."""

import cv2
import numpy as np

from epiphane.effects.declare import Family, Need, Parameter, Values, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture

_GRAINS_A_SECOND = 24


@effect(
    key="grain",
    version=1,
    family=Family.FRAME,
    label="Grain",
    keywords="noise film texture",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=35),
        Parameter("size", "Size", "% of width", low=0.05, high=1, rest=0.12, peak=0.12),
    ),
    needs=(Need.TIME,),
)
def grain(values: Values) -> Operation | tuple[Operation, ...]:
    """Lays the noise of film over the picture, other grains 24 times a second, the same in all colours."""
    if values.amount == 0:
        return NOTHING
    step = int(values.seconds * _GRAINS_A_SECOND + 1e-6)
    deviation = 60 * values.amount / 100

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(1.0, values.size / 100 * width)
        size = max(1, round(width / cell)), max(1, round(height / cell))
        generator = np.random.default_rng((int(values.seed), step))
        noise = generator.standard_normal((size[1], size[0]), np.float32) * np.float32(deviation)
        if size != (width, height):
            noise = np.asarray(cv2.resize(noise, (width, height)), np.float32)
        whole = np.round(noise).astype(np.int16)
        return np.asarray(cv2.add(picture, cv2.merge([whole] * 3), dtype=cv2.CV_8U), np.uint8)

    return Filter(apply)
