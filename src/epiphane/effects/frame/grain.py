"""Grain: the noise of film."""

from statistics import NormalDist

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import MIDDLE, noise, step_at, with_difference, with_noise
from epiphane.types import Picture

_GRAINS_A_SECOND = 24
_NORMAL = tuple(NormalDist().inv_cdf((number + 0.5) / 256) for number in range(256))
"""Levels as likely as each other, of a normal distribution."""
_FILM, _EVEN = "of film", "even"
_COLOURED, _STRONGEST = 0.25, 0.9


@effect(
    key="grain",
    version=2,
    family=Family.FRAME,
    label="Grain",
    group="Drawn",
    keywords="noise film texture",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=60),
        Parameter("size", "Size", "% of width", low=0.05, high=1, rest=0.16, peak=0.16),
        ChoiceParameter(
            "of",
            "Grains",
            (_FILM, _EVEN),
            _FILM,
            help="Of film: lumps, most in middle greys",
        ),
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

    def of_film(picture: Picture) -> Picture:
        return _with_lumps(picture, (int(values.seed), step), values.size / 100, values.amount / 100)

    def even(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(1.0, values.size / 100 * width)
        size = max(1, round(width / cell)), max(1, round(height / cell))
        levels = [deviation * share for share in _NORMAL]
        grains = noise((int(values.seed), step), size, levels)
        if size != (width, height):
            grains = np.asarray(cv2.resize(grains, (width, height)), np.uint8)
        return with_noise(picture, grains)

    return Filter(of_film if values.of == _FILM else even)


def _with_lumps(picture: Picture, seeds: tuple[int, int], size: float, amount: float) -> Picture:
    """Return a picture with grains and the lumps they make: none in black and white, some coloured."""
    height, width = picture.shape[:2]
    cell = max(1.0, size * width)
    columns, rows = max(8, round(width / cell)), max(8, round(height / cell))
    drawn = np.frombuffer(np.random.default_rng(seeds).bytes(columns * rows * 4), np.uint8)
    grey, three = np.split(drawn, [columns * rows])
    plain, coloured = cv2.merge([grey.reshape(rows, columns)] * 3), three.reshape(rows, columns, 3)
    fine = cv2.addWeighted(plain, 1 - _COLOURED, coloured, _COLOURED, 0)
    lumps = cv2.addWeighted(fine, 0.6, cv2.blur(fine, (3, 3)), 1.4, -MIDDLE)
    lumps = cv2.resize(lumps, (width, height), interpolation=cv2.INTER_LINEAR)
    levels = np.arange(256) / 255
    most = 2 * np.sqrt(levels * (1 - levels)) * (1 - 0.35 * levels) * amount
    weights = np.minimum(most, 1)
    # Away from the middle by the weight: w (lump - m) + m = w lump + (1 - w) m, all in 8 bits.
    by_lump = cv2.LUT(picture, np.rint(255 * weights).astype(np.uint8))
    of_middle = cv2.LUT(picture, np.rint(MIDDLE * (1 - _STRONGEST * weights)).astype(np.uint8))
    grains = cv2.add(cv2.multiply(lumps, by_lump, scale=_STRONGEST / 255), of_middle)
    return with_difference(picture, np.asarray(grains, np.uint8))
