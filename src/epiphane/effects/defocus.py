"""What a lens that is out of focus makes of a picture: points become discs, or the shape of its iris."""

from functools import lru_cache, partial

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter
from epiphane.effects.operations import Blur, Filter, gaussian_blur, spreading
from epiphane.types import Float32Array, Pixels

DISC, SIX_BLADES, GAUSSIAN = "discs", "six blades", "a Gaussian"
_LEAST_RADIUS = 0.4
# From which radius on, in pixels, a picture is so many times smaller while it is blurred.
_SHRINKS = ((9.0, 4), (4.0, 2))
_FINE = 4


def shape_parameter() -> ChoiceParameter:
    """Return the choice of what points become."""
    return ChoiceParameter(
        "shape",
        "Points become",
        (DISC, SIX_BLADES, GAUSSIAN),
        DISC,
        help="Discs, or the iris of a lens, are of light: lamps stay bright; a Gaussian is soft",
    )


def defocus(radius: float, shape: str, *, in_light: bool) -> Blur | Filter:
    """Return the blur of a lens by a radius, a share of the width; a Gaussian has it as standard deviation.

    Discs are always of light; a Gaussian of levels unless the film mixes light.
    """
    if shape == GAUSSIAN:
        return gaussian_blur(radius, in_light=in_light)
    blades = 6 if shape == SIX_BLADES else 0
    return spreading(partial(_defocused, radius=radius, blades=blades), in_light=True)


def _defocused(pixels: Pixels, radius: float, blades: int) -> Pixels:
    height, width = pixels.shape[:2]
    wide = radius * width
    if wide < _LEAST_RADIUS:
        return pixels
    shrink = next(
        (times for least, times in _SHRINKS if wide >= least and min(width, height) >= 8 * times), 1
    )
    small = pixels
    if shrink > 1:
        size = -(-width // shrink), -(-height // shrink)
        small = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
    soft = cv2.filter2D(small, -1, _iris(round(wide / shrink, 2), blades), borderType=cv2.BORDER_REFLECT)
    return np.asarray(
        soft if shrink == 1 else cv2.resize(soft, (width, height), interpolation=cv2.INTER_LINEAR)
    )


@lru_cache(maxsize=64)
def _iris(radius: float, blades: int) -> Float32Array:
    """Return the weights of an iris, float32, shape (n, n), of sum 1: brighter at the rim."""
    half = int(np.ceil(radius)) + 1
    count = (2 * half + 1) * _FINE
    along = (np.arange(count) + 0.5) / _FINE - half - 0.5
    x, y = np.meshgrid(along, along)
    away = np.hypot(x, y)
    if blades:
        sector = 2 * np.pi / blades
        turn = np.arctan2(y, x) % sector - sector / 2
        away = away * np.cos(turn) / np.cos(sector / 4)
    shape = (away <= radius) * (0.8 + 0.2 * np.minimum(away / radius, 1))
    weights = shape.reshape(2 * half + 1, _FINE, 2 * half + 1, _FINE).mean(axis=(1, 3))
    return np.asarray(weights / weights.sum(), np.float32)
