"""Bit crush: few levels of each colour, in coarse dots with an ordered dither."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import FloatArray, Picture

_MOST_BITS = 8


def _bayer(order: int) -> FloatArray:
    """Return thresholds of an ordered dither, float64, 2^order a side, 0 to 1 (B. Bayer, ICC 1973)."""
    matrix = np.zeros((1, 1))
    for _ in range(order):
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return matrix / matrix.size


_DITHER = _bayer(3)


@effect(
    key="bit-crush",
    version=1,
    family=Family.GLITCH,
    label="Bit crush",
    group="Digital",
    keywords="dither 8 bit retro game console pixel art low colour",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("bits", "Bits", "", low=1, high=6, rest=2, peak=2, is_whole=True, help="Of each colour"),
        Parameter("dot", "Dot", "% of width", low=0.1, high=4, rest=0.55, peak=0.55),
        Parameter("dither", "Dither", "%", low=0, high=100, rest=100, peak=100),
    ),
)
def bit_crush(values: Values) -> Operation | tuple[Operation, ...]:
    """Leaves each colour a few bits, in dots that grow, with a regular pattern between two levels."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    steps = 2 ** (values.bits + (_MOST_BITS - values.bits) * (1 - level)) - 1

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        dot = max(1.0, values.dot / 100 * width * level)
        size = max(1, round(width / dot)), max(1, round(height / dot))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        n_tiles = -(-size[1] // len(_DITHER)), -(-size[0] // len(_DITHER))
        pattern = np.tile(_DITHER - 0.49, n_tiles)[: size[1], : size[0], None] * values.dither / 100
        crushed = np.clip(np.rint(small * np.float32(steps / 255) + pattern), 0, steps) * (255 / steps)
        few = np.rint(crushed).astype(np.uint8)
        return np.asarray(cv2.resize(few, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)

    return Filter(apply)
