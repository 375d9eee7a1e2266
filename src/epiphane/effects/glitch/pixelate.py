"""Pixels: the picture in coarse squares."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import resized, shaded
from epiphane.types import Picture, Size

_SQUARES, _HEXAGONS, _DOTS = "squares", "hexagons", "dots"
_LEAST_HEXAGON, _DOT, _BETWEEN = 3.0, 0.46, 0.25


@effect(
    key="pixelate",
    version=1,
    family=Family.GLITCH,
    label="Pixels",
    group="Digital",
    keywords="mosaic pixelate low resolution 8-bit",
    parameters=(
        Parameter("size", "Size", "% of width", low=0, high=25, rest=0, peak=3),
        ChoiceParameter("shape", "Shape", (_SQUARES, _HEXAGONS, _DOTS), _SQUARES),
    ),
)
def pixelate(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture in squares, hexagons or dots, each of the mean colour of what it covers."""
    if values.size == 0:
        return NOTHING

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(1.0, values.size / 100 * width)
        small = resized(picture, (max(1, round(width / cell)), max(1, round(height / cell))))
        if values.shape == _HEXAGONS and cell >= _LEAST_HEXAGON:
            return _in_hexagons(picture, cell)
        if values.shape == _DOTS and cell >= _LEAST_HEXAGON:
            return _in_dots(small, (width, height))
        return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)

    return Filter(apply, moves=True)


def _in_hexagons(picture: Picture, cell: float) -> Picture:
    """Return a picture in hexagons as wide as a cell: each point has the colour of the nearest middle."""
    height, width = picture.shape[:2]
    soft = cv2.blur(picture, (max(1, round(0.7 * cell)) | 1,) * 2)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    tall = cell * np.sqrt(3)
    places = []
    for shift in (0.0, 0.5):  # middles of hexagons lie on two grids, one half a cell off both ways
        across = (np.floor(x / cell - shift) + 0.5 + shift) * cell
        down = (np.floor(y / tall - shift) + 0.5 + shift) * tall
        places.append((across, down, (x - across) ** 2 + (y - down) ** 2))
    is_first = places[0][2] <= places[1][2]
    map_x, map_y = (np.where(is_first, places[0][n], places[1][n]).astype(np.float32) for n in (0, 1))
    return np.asarray(
        cv2.remap(soft, map_x, map_y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REFLECT), np.uint8
    )


def _in_dots(small: Picture, size: Size) -> Picture:
    """Return one dot for each pixel of a small picture, on a darker ground of its own colour."""
    width, height = size
    flat = cv2.resize(small, size, interpolation=cv2.INTER_NEAREST)
    x = (np.arange(width) + 0.5) / width * small.shape[1] % 1 - 0.5
    y = ((np.arange(height) + 0.5) / height * small.shape[0] % 1 - 0.5)[:, None]
    soft = 1.5 * small.shape[1] / width
    inside = np.clip((_DOT - np.hypot(x[None], y)) / soft + 0.5, 0, 1)
    return shaded(np.asarray(flat, np.uint8), (_BETWEEN + (1 - _BETWEEN) * inside).astype(np.float32))
