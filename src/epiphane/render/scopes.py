"""What scopes show of a picture: levels by column, colour differences, how common levels are.

All are of the picture as it is shown: 8-bit levels, luma and colour differences of ITU-R BT.709.
"""

from collections.abc import Sequence
from enum import Enum

import cv2
import numpy as np

from epiphane.effects.pixels import LUMA
from epiphane.types import FloatArray, Picture, Plane

N_LEVELS = 256
N_BINS = 64
_MOST_COLUMNS = 480
_VECTOR_SIDE, _MIDDLE = 128, 64
# (blue - luma) / 1.8556 and (red - luma) / 1.5748 lie in -0.5 to 0.5 (ITU-R BT.709, section 3.3).
_BLUE_SPREAD, _RED_SPREAD = 1.8556, 1.5748
_EYE = np.eye(3)
_DIFFERENCES = np.stack([(_EYE[0] - LUMA) / _BLUE_SPREAD, (_EYE[2] - LUMA) / _RED_SPREAD])
_GAIN = 14.0


class Counted(Enum):
    """What of a picture's colours a histogram counts: a channel by its number in BGR, their luma or hue."""

    BLUE = 0
    GREEN = 1
    RED = 2
    LUMA = "luma"
    HUE = "hue"


def luma_of(picture: Picture) -> Plane:
    """Return the luma of a picture, uint8, shape (height, width)."""
    return np.asarray(cv2.transform(picture, LUMA[None]), np.uint8).reshape(picture.shape[:2])


def sampled(picture: Picture) -> Picture:
    """Return a picture of 480 columns at most, of whole pixels: what scopes are to be seen of."""
    step = -(-picture.shape[1] // _MOST_COLUMNS)
    return picture if step == 1 else np.ascontiguousarray(picture[::step, ::step])


def waveform(plane: Plane, n_columns: int) -> Plane:
    """Return how common each level is in each column.

    Parameters
    ----------
    plane : uint8, shape (height, width)
        The luma, or a channel.
    n_columns : int
        At most as many as it has.

    Returns
    -------
    uint8, shape (256, n_columns)
        White at the top; 255 where a fourteenth of a column, or more, has that level.
    """
    height, width = plane.shape
    n_columns = min(n_columns, width)
    columns = np.arange(width) * n_columns // width
    places = (N_LEVELS - 1 - plane.astype(np.int32)) * n_columns + columns.astype(np.int32)
    counts = np.bincount(places.ravel(), minlength=N_LEVELS * n_columns).reshape(N_LEVELS, n_columns)
    return _as_brightness(counts.astype(np.float64) * n_columns / (height * width))


def vectorscope(picture: Picture) -> Plane:
    """Return how common each pair of colour differences is.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR

    Returns
    -------
    uint8, shape (128, 128)
        Grey in the middle, blue less luma to the right, red less luma upwards; the edges are a half of all.
    """
    scaled = np.column_stack([_DIFFERENCES * (_VECTOR_SIDE - 1) / 255, [_MIDDLE, _MIDDLE]])
    found = np.asarray(cv2.transform(picture, scaled), np.uint8).astype(np.int32)
    across, up = np.minimum(found[..., 0], _VECTOR_SIDE - 1), np.minimum(found[..., 1], _VECTOR_SIDE)
    places = np.minimum(_VECTOR_SIDE - up, _VECTOR_SIDE - 1) * _VECTOR_SIDE + across
    counts = np.bincount(places.ravel(), minlength=_VECTOR_SIDE**2).reshape(_VECTOR_SIDE, _VECTOR_SIDE)
    return _as_brightness(counts.astype(np.float64) * _VECTOR_SIDE / 4 / picture[..., 0].size)


def vector_place(colour: tuple[float, float, float]) -> tuple[float, float]:
    """Return where a colour, BGR of 0 to 1, lies in a vectorscope: shares from its left and its top."""
    across, up = _DIFFERENCES @ np.asarray(colour)
    return 0.5 + float(across), 0.5 - float(up)


def histograms(picture: Picture, counted: Sequence[Counted]) -> FloatArray:
    """Return how common levels or hues are in a picture, all on one scale.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR
    counted : sequence of Counted
        Colours count for their hue by how much of it they have.

    Returns
    -------
    float64, shape (n_counted, 64), 0 to 1
        The square root of the share, so that what is rare is seen; 1 for the most common that is neither the
        least nor the greatest: what is clipped would hide all else.
    """
    counts = np.stack([_counts(picture, one) for one in counted])
    most = max(float(counts[:, 1:-1].max()), float(counts.max()) / N_LEVELS, 1e-9)
    return np.asarray(np.sqrt(np.minimum(counts / most, 1)))


def _counts(picture: Picture, counted: Counted) -> FloatArray:
    if counted is Counted.HUE:
        hue, saturation, value = cv2.split(cv2.cvtColor(picture, cv2.COLOR_BGR2HSV_FULL))
        weights = (saturation.ravel().astype(np.float64) / 255) * value.ravel()
        return np.asarray(np.bincount(hue.ravel() // (N_LEVELS // N_BINS), weights, N_BINS), np.float64)
    levels = luma_of(picture) if counted is Counted.LUMA else picture[..., counted.value]
    return np.bincount(levels.ravel() // (N_LEVELS // N_BINS), minlength=N_BINS).astype(np.float64)


def clipped(picture: Picture) -> tuple[Plane, Plane]:
    """Return where a picture has lost what was brighter, and what was darker.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)

    Returns
    -------
    uint8, shape (height, width), twice
        255 where a channel is at its most; where all are at their least.
    """
    bright = cv2.inRange(picture, (0, 0, 0), (254, 254, 254))
    return np.asarray(cv2.bitwise_not(bright), np.uint8), np.asarray(
        cv2.inRange(picture, (0, 0, 0), (0, 0, 0)), np.uint8
    )


def _as_brightness(shares: FloatArray) -> Plane:
    """Return shares of pixels as levels: by their root, so that what is rare is seen."""
    return np.asarray(np.clip(255 * np.sqrt(_GAIN * shares), 0, 255), np.uint8)
