"""Helpers of transitions: masks by the order of points, windows that travel, directions."""

from collections.abc import Callable
from functools import lru_cache
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from epiphane.declare.parameters import Parameter
from epiphane.effects.operations import Warp, scale_about, spreading
from epiphane.effects.pixels import to_levels, to_light
from epiphane.transitions.declare import Blend, Masked, Progress, Weighted
from epiphane.types import FloatArray, Picture, Pixels, Plane, Size

Order: TypeAlias = NDArray[np.uint16]
"""uint16, shape (height, width): when the turn of each point comes, 0 first."""
_LAST = 65535
_WHOLE_PIXELS = 4
"""Pixels a frame from which on a window moves by whole ones: nobody sees the difference."""


def as_order(places: FloatArray) -> Order:
    """Return the order of points by their places, any numbers: the least one is first."""
    low, high = float(places.min()), float(places.max())
    return np.rint((places - low) * (_LAST / max(high - low, 1e-9))).astype(np.uint16)


def in_order(order: Callable[[Size], Order], share: float, softness: float) -> Masked:
    """Return the mask by which points go over one after the other, in an order for a size.

    Parameters
    ----------
    softness : float, > 0
        Which share of all points is on its way at once.
    """
    ramp = ramp_of(share, softness)
    return Masked(lambda size: np.asarray(cv2.LUT(order(size), ramp), np.uint8))


def ramp_of(share: float, softness: float, *, n_levels: int = _LAST + 1) -> Plane:
    """Return how much of the incoming picture shows at each place of an order: uint8, shape (1, n_levels)."""
    places = np.arange(n_levels, dtype=np.float32) / (n_levels - 1)
    soft = max(softness, 1e-3)
    return np.clip(np.rint(255 * ((share * (1 + soft) - places) / soft)), 0, 255).astype(np.uint8)[None]


def mixed_about_the_middle(progress: Progress, width: float) -> Weighted:
    """Return the weights of a mixture that goes over in the middle of the way, in a part of it of `width`."""
    weight = min(max((progress.share - 0.5) / max(width, 1e-3) + 0.5, 0.0), 1.0)
    return Weighted(1 - weight, weight, progress.adding)


def weighted(outgoing: Picture, incoming: Picture, weights: Weighted) -> Picture:
    """Return both pictures, each times its weight, in one."""
    if weights.how is Blend.ADD:
        mixed = cv2.addWeighted(outgoing, weights.outgoing, incoming, weights.incoming, 0)
    elif weights.how is Blend.ADD_LIGHT:
        first, second = to_light(outgoing), to_light(incoming)
        light = cv2.addWeighted(first, weights.outgoing, second, weights.incoming, 0)
        mixed = to_levels(np.asarray(light, np.uint16))
    elif weights.how is Blend.LIGHTEN:
        mixed = cv2.max(
            cv2.convertScaleAbs(outgoing, alpha=weights.outgoing),
            cv2.convertScaleAbs(incoming, alpha=weights.incoming),
        )
    else:  # of the negatives: 255 - w (255 - p)
        mixed = cv2.min(
            cv2.convertScaleAbs(outgoing, alpha=weights.outgoing, beta=255 * (1 - weights.outgoing)),
            cv2.convertScaleAbs(incoming, alpha=weights.incoming, beta=255 * (1 - weights.incoming)),
        )
    return np.asarray(mixed, np.uint8)


def masked(outgoing: Picture, incoming: Picture, mask: Plane, *, in_light: bool = False) -> Picture:
    """Return the outgoing picture where a mask is 0, the incoming one where it is 255, a mean in between."""
    if in_light:
        return _masked_in_light(outgoing, incoming, mask)
    shares = cv2.merge([mask] * 3)
    new = cv2.multiply(incoming, shares, scale=1 / 255)
    return np.asarray(cv2.add(new, cv2.multiply(outgoing, cv2.bitwise_not(shares), scale=1 / 255)), np.uint8)


def _masked_in_light(outgoing: Picture, incoming: Picture, mask: Plane) -> Picture:
    """Return what `masked` does of linear light; only where the mask is grey there is anything to mix."""
    mixed = outgoing.copy()
    cv2.copyTo(incoming, mask, mixed)
    left, top, width, height = cv2.boundingRect(cv2.inRange(mask, 1, 254))
    part = slice(top, top + height), slice(left, left + width)
    if width == 0:
        return mixed
    share = cv2.merge([mask[part].astype(np.uint16) * np.uint16(_LAST // 255)] * 3)
    first, second = (to_light(np.ascontiguousarray(one[part])) for one in (outgoing, incoming))
    new = cv2.multiply(second, share, scale=1 / _LAST)
    light = cv2.add(new, cv2.multiply(first, cv2.bitwise_not(share), scale=1 / _LAST))
    mixed[part] = to_levels(np.asarray(light, np.uint16))
    return mixed


@lru_cache(maxsize=8)
def grid_of(size: Size) -> tuple[FloatArray, FloatArray]:
    """Return x and y of all pixels of a picture: (0, 0) is its middle, its edges across are at -1 and 1."""
    width, height = size
    across = (np.arange(width) + 0.5) * 2 / width - 1
    down = ((np.arange(height) + 0.5) * 2 / height - 1) * height / width
    x, y = np.meshgrid(across, down)
    return x, y


def faced(picture: Picture, direction: str) -> Picture:
    """Return a picture turned or mirrored so that what moves in a direction moves to the left."""
    if direction == "right":
        return np.asarray(cv2.flip(picture, 1), np.uint8)
    if direction == "up":
        return np.asarray(cv2.transpose(picture), np.uint8)
    if direction == "down":
        return np.asarray(cv2.transpose(cv2.flip(picture, 0)), np.uint8)
    return picture


def faced_back(picture: Picture, direction: str) -> Picture:
    """Return a picture as it was before it was `faced`."""
    if direction == "down":
        return np.asarray(cv2.flip(cv2.transpose(picture), 0), np.uint8)
    return faced(picture, direction)


def leftward(
    direction: str, apply: Callable[[Picture, Picture], Picture]
) -> Callable[[Picture, Picture], Picture]:
    """Return a function of two pictures that moves to the left as one that moves in a direction."""

    def turned(outgoing: Picture, incoming: Picture) -> Picture:
        done = apply(faced(outgoing, direction), faced(incoming, direction))
        return np.ascontiguousarray(faced_back(done, direction))

    return turned


def shutter_parameter() -> Parameter:
    """Return the parameter of for how much of a frame the shutter is open while something moves."""
    return Parameter("shutter", "Motion blur", "°", low=0, high=360, rest=180, peak=180)


def seam_parameter() -> Parameter:
    """Return the parameter of how wide one picture goes over into the next where they meet."""
    return Parameter("seam", "Soft seam", "% of width", low=0, high=20, rest=2, peak=2)


def window(outgoing: Picture, incoming: Picture, share: float, step: float, *, seam: float = 0.0) -> Picture:
    """Return what a window sees that has gone from one picture to the next, which follows at its right edge.

    Where it moves slowly, by `step` of its width a frame, it stands between pixels. Over a `seam`, a share of
    the width, each picture goes over into the mirror image of itself that lies beyond its edge.
    """
    seen = _window(outgoing, incoming, share, step)
    width = outgoing.shape[1]
    half = round(seam * width / 2)
    at = width - round(min(max(share, 0.0), 1.0) * width)
    first, end = max(0, at - half), min(width, at + half)
    if half == 0 or first >= end:
        return seen
    columns = np.arange(first, end)
    # Of both pictures what lies there, or beyond their edges as in a mirror.
    old = np.minimum(columns + width - at, 2 * width - 1 - (columns + width - at))
    new = np.abs(columns - at + 0.5).astype(int)
    old, new = np.clip(old, 0, width - 1), np.clip(new, 0, width - 1)
    ramp = np.clip((columns - at) / (2 * half) + 0.5, 0, 1).astype(np.float32)
    shares = np.repeat(ramp[None], outgoing.shape[0], axis=0)
    seen = seen.copy()
    seen[:, first:end] = cv2.blendLinear(
        np.ascontiguousarray(outgoing[:, old]), np.ascontiguousarray(incoming[:, new]), 1 - shares, shares
    )
    return seen


def _window(outgoing: Picture, incoming: Picture, share: float, step: float) -> Picture:
    width = outgoing.shape[1]
    gone = min(max(share, 0.0), 1.0) * width
    if step * width >= _WHOLE_PIXELS:
        return _window_at(outgoing, incoming, round(gone))
    whole = int(gone)
    near = _window_at(outgoing, incoming, whole)
    if whole == gone:
        return near
    further = _window_at(outgoing, incoming, whole + 1)
    return np.asarray(cv2.addWeighted(near, 1 - (gone - whole), further, gone - whole, 0), np.uint8)


def _window_at(outgoing: Picture, incoming: Picture, gone: int) -> Picture:
    seen = np.empty_like(outgoing)
    width = outgoing.shape[1]
    seen[:, : width - gone], seen[:, width - gone :] = outgoing[:, gone:], incoming[:, :gone]
    return seen


def smeared(picture: Picture, length: float, *, in_light: bool) -> Picture:
    """Return a picture blurred along its rows by a length in pixels, as by an open shutter."""
    n_pixels = round(length) | 1
    if n_pixels < 3:
        return picture

    def along_rows(pixels: Pixels) -> Pixels:
        return np.asarray(cv2.blur(pixels, (n_pixels, 1), borderType=cv2.BORDER_REFLECT))

    return spreading(along_rows, in_light=in_light).apply(picture)


def enlarged(scale: float) -> Warp:
    """Return the warp that enlarges about the middle."""
    return scale_about(scale, x=0.5, y=0.5)


def turned(angle: float, scale: float, aspect: float) -> FloatArray:
    """Return the matrix, float64, shape (3, 3), that turns about the middle, in shares of the picture.

    Parameters
    ----------
    angle : float, degrees, clockwise
    """
    cos, sin = scale * np.cos(np.radians(angle)), scale * np.sin(np.radians(angle))
    square = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])
    to_square = np.array([[aspect, 0, -aspect / 2], [0, 1, -0.5], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(to_square) @ square @ to_square)


def chances_of(seed: int, shape: tuple[int, ...]) -> FloatArray:
    """Return numbers in [0, 1) that depend on a seed alone, float64, of a shape."""
    return np.asarray(np.random.default_rng(seed).random(shape))


@lru_cache(maxsize=16)
def cloud_order(size: Size, seed: int, coarseness: int, fineness: float) -> Order:
    """Return an order as of spreading clouds: noise of several sizes, each weaker than the coarser one.

    Parameters
    ----------
    coarseness : int
        How many of the largest lumps lie across the picture.
    fineness : float, 0 to 1
        How strong each size is against the one before.
    """
    width, height = size
    places = np.zeros((height, width))
    strength, n_across = 1.0, coarseness
    for octave in range(5):
        n_down = max(2, round(n_across * height / width))
        lumps = chances_of(seed + octave, (n_down + 1, n_across + 1)).astype(np.float32)
        places += strength * cv2.resize(lumps, size, interpolation=cv2.INTER_CUBIC)
        strength, n_across = strength * fineness, 2 * n_across
    ranks = np.argsort(np.argsort(cv2.resize(places, (160, 90)).ravel())) / (160 * 90)  # an even pace
    known = np.sort(cv2.resize(places, (160, 90)).ravel())
    return as_order(np.interp(places, known, np.sort(ranks)))
