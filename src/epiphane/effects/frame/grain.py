"""Grain: the noise of film."""

from statistics import NormalDist

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import noise, step_at, with_noise
from epiphane.types import Picture

_GRAINS_A_SECOND = 24
_NORMAL = tuple(NormalDist().inv_cdf((number + 0.5) / 256) for number in range(256))
"""Levels as likely as each other, of a normal distribution."""


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
    lasts=True,
)
def grain(values: Values) -> Operation | tuple[Operation, ...]:
    """Lays the noise of film over the picture, other grains 24 times a second, the same in all colours."""
    if values.amount == 0:
        return NOTHING
    step = step_at(values.seconds, _GRAINS_A_SECOND)
    deviation = 60 * values.amount / 100

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(1.0, values.size / 100 * width)
        size = max(1, round(width / cell)), max(1, round(height / cell))
        levels = [deviation * share for share in _NORMAL]
        grains = noise((int(values.seed), step), size, levels)
        if size != (width, height):
            grains = np.asarray(cv2.resize(grains, (width, height)), np.uint8)
        return with_noise(picture, grains)

    return Filter(apply)
