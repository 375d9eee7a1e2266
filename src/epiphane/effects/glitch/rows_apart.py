"""Rows apart: bands of lines slip, each colour another way."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture


@effect(
    key="rows-apart",
    version=1,
    family=Family.GLITCH,
    label="Rows apart",
    group="Digital",
    keywords="rgb lines channels slip broken signal",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=60, rest=0, peak=20),
        Parameter("bands", "Bands", "", low=2, high=120, rest=14, peak=14, is_whole=True),
        Parameter("share", "Slipping", "%", low=1, high=100, rest=85, peak=85),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=12, peak=12),
    ),
    needs=(Need.TIME,),
)
def rows_apart(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets bands of lines slip, red, green and blue each another way; others every few frames."""
    if values.reach == 0:
        return NOTHING
    n_bands = round(values.bands)
    generator = np.random.default_rng((int(values.seed), step_at(values.seconds, values.rate)))
    edges = np.sort(generator.random(n_bands - 1))
    jumps = generator.uniform(-1, 1, (n_bands, 3)) ** 3
    jumps[generator.random(n_bands) > values.share / 100] = 0

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        lines = [0, *(edges * height).astype(int), height]
        planes = [plane.copy() for plane in cv2.split(picture)]
        for first, end, jump in zip(lines, lines[1:], jumps, strict=False):
            for plane, one in zip(planes, jump, strict=True):
                pixels = round(one * values.reach / 100 * width)
                if pixels and end > first:
                    plane[first:end] = np.roll(plane[first:end], pixels, axis=1)
        return np.asarray(cv2.merge(planes), np.uint8)

    return Filter(apply, moves=True)
