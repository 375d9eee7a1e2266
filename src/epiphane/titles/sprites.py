"""Small pictures with a place in the frame, and what is done to them: moved, blurred, wiped, torn."""

import math
from collections.abc import Sequence

import cv2
import numpy as np
from msgspec import Struct

from epiphane.types import Float32Array, FloatArray, Picture, Plane

_WIDEST = 4096
"""Pixels of a side, beyond which nothing is drawn."""
_BAND = 0.13
"""How high the bands are into which a letter is torn, in sizes of it."""


class Sprite(Struct, frozen=True, eq=False):
    """A coverage, or a premultiplied BGRA picture, and its upper left pixel in the frame."""

    pixels: Plane | Picture
    left: int
    top: int

    @property
    def corners(self) -> FloatArray:
        """Its corners, float64, shape (4, 3)."""
        height, width = self.pixels.shape[:2]
        across, down = (self.left, self.left + width), (self.top, self.top + height)
        return np.array([(x, y, 1.0) for x in across for y in down])


def is_flat(matrix: FloatArray) -> bool:
    """Whether a matrix, shape (3, 3), leaves parallels parallel."""
    return not matrix[2, :2].any()


def points_through(matrix: FloatArray, points: FloatArray) -> FloatArray:
    """Return where a matrix, shape (3, 3), brings points, shape (n, 3); those behind the eye go far away."""
    moved = points @ matrix.T
    return np.asarray(moved[:, :2] / np.maximum(moved[:, 2:], _NEAREST))


_NEAREST = 0.02
"""How near to the eye, in distances of the frame, things are drawn."""


def flat_near(matrix: FloatArray, x: float, y: float) -> FloatArray:
    """Return the flat matrix, shape (3, 3), that does what a matrix does near a point."""
    if is_flat(matrix):
        return matrix
    u, v, w = (matrix @ (x, y, 1.0)).tolist()
    w = max(w, _NEAREST)
    here = np.array([u / w, v / w])
    slopes = (matrix[:2, :2] - np.outer(here, matrix[2, :2])) / w
    made = np.eye(3)
    made[:2, :2] = slopes
    made[:2, 2] = here - slopes @ (x, y)
    return made


def between_pixels(
    step: FloatArray, corner: Sequence[float] = (0.0, 0.0), to: Sequence[float] = (0.0, 0.0)
) -> FloatArray:
    """Return a matrix of places, which lie between pixels, as one of pixels counted from two corners."""
    before, behind = np.eye(3), np.eye(3)
    before[:2, 2] = corner[0] + 0.5, corner[1] + 0.5
    behind[:2, 2] = -to[0] - 0.5, -to[1] - 0.5
    return np.asarray(behind @ step @ before)


def warped(pixels: Plane | Picture, matrix: FloatArray, size: tuple[int, int]) -> Plane | Picture:
    """Return pixels moved by a matrix of pixels, shape (3, 3); nothing is around them."""
    if is_flat(matrix):
        made = cv2.warpAffine(pixels, matrix[:2] / matrix[2, 2], size, flags=cv2.INTER_LINEAR)
    else:
        made = cv2.warpPerspective(pixels, matrix, size, flags=cv2.INTER_LINEAR)
    return np.asarray(made, np.uint8)


def moved_sprite(sprite: Sprite, steps: Sequence[FloatArray]) -> Sprite | None:
    """Return the average of a sprite moved by each of some matrices, shape (3, 3), of places in the frame."""
    reached = np.concatenate([points_through(step, sprite.corners) for step in steps])
    (left, top), (right, bottom) = np.floor(reached.min(axis=0)) - 1, np.ceil(reached.max(axis=0)) + 1
    if not (np.abs(reached) < _FARTHEST).all():
        return None
    size = min(int(right - left), _WIDEST), min(int(bottom - top), _WIDEST)
    matrices = [between_pixels(step, (sprite.left, sprite.top), (left, top)) for step in steps]
    if len(matrices) == 1:
        return Sprite(warped(sprite.pixels, matrices[0], size), int(left), int(top))
    total = np.zeros((size[1], size[0], *sprite.pixels.shape[2:]), np.float32)
    for matrix in matrices:
        cv2.accumulate(warped(sprite.pixels, matrix, size), total)
    return Sprite(np.asarray(cv2.convertScaleAbs(total, alpha=1 / len(steps)), np.uint8), int(left), int(top))


_FARTHEST = 30_000.0
"""Pixels from the frame beyond which nothing is drawn."""


def blurred(sprite: Sprite, sigma: float) -> Sprite:
    """Return a sprite blurred by a Gaussian, in pixels, and as much larger as it takes."""
    reach = math.ceil(2.6 * sigma) + 1
    edged = cv2.copyMakeBorder(sprite.pixels, reach, reach, reach, reach, cv2.BORDER_CONSTANT, value=0)
    kernel = (2 * reach - 1, 2 * reach - 1)
    soft = cv2.GaussianBlur(edged, kernel, sigma, borderType=cv2.BORDER_CONSTANT)
    return Sprite(np.asarray(soft, np.uint8), sprite.left - reach, sprite.top - reach)


def faded(sprite: Sprite, opacity: float) -> Sprite:
    """Return a sprite at an opacity."""
    if opacity >= 1:
        return sprite
    pixels = np.asarray(cv2.convertScaleAbs(sprite.pixels, alpha=opacity), np.uint8)
    return Sprite(pixels, sprite.left, sprite.top)


def wiped(sprite: Sprite, place: FloatArray, end: float) -> Sprite:
    """Return what of a sprite lies left of an end, in the places from which a matrix leads to the frame."""
    height, width = sprite.pixels.shape[:2]
    back = np.linalg.inv(place)
    x = np.arange(width) + sprite.left + 0.5
    y = (np.arange(height) + sprite.top + 0.5)[:, None]
    depth = back[2, 0] * x + back[2, 1] * y + back[2, 2]
    there = (back[0, 0] * x + back[0, 1] * y + back[0, 2]) / np.where(np.abs(depth) < 1e-6, 1e-6, depth)
    pixels = float(np.hypot(place[0, 0], place[1, 0]))
    seen = np.clip((end - there) * pixels + 0.5, 0, 1).astype(np.float32)
    kept = sprite.pixels * (seen if sprite.pixels.ndim == 2 else seen[..., None])
    return Sprite(np.rint(kept).astype(np.uint8), sprite.left, sprite.top)


def torn(sprite: Sprite, em: float, reach: float, seed: int) -> Sprite:
    """Return a sprite in bands that are moved sideways, by chance, by a reach at most; lengths in pixels."""
    height, width = sprite.pixels.shape[:2]
    band, most = max(1, round(_BAND * em)), math.ceil(reach)
    shape = height, width + 2 * most, *sprite.pixels.shape[2:]
    made = np.zeros(shape, np.uint8)
    first, last = sprite.top // band, (sprite.top + height - 1) // band
    for number in range(first, last + 1):
        chance = np.random.default_rng([seed, number + 100_000]).uniform(-1, 1)
        by = most + round(reach * float(chance))
        y0, y1 = max(number * band - sprite.top, 0), min((number + 1) * band - sprite.top, height)
        made[y0:y1, by : by + width] = sprite.pixels[y0:y1]
    return Sprite(made, sprite.left - most, sprite.top)


def broken(sprite: Sprite, em: float, reach: float, seed: int) -> Sprite:
    """Return a sprite in slanted pieces that lie apart, turned and farther down, by a reach; in pixels."""
    height, width = sprite.pixels.shape[:2]
    most = math.ceil(1.6 * reach) + 1
    shape = height + 2 * most, width + 2 * most, *sprite.pixels.shape[2:]
    made = np.zeros(shape, np.uint8)
    piece = max(3.0, _PIECE * em)
    y, x = np.mgrid[0:height, 0:width]
    # Slanted cells: two families of parallel cracks, each piece a number of its own.
    column = np.floor((x + 0.45 * y) / piece).astype(int)
    row = np.floor((y - 0.35 * x) / piece).astype(int)
    for number in np.unique(column * 1009 + row):
        mask = (column * 1009 + row) == number
        if not sprite.pixels[mask].any():
            continue
        chance = np.random.default_rng([seed, int(number) + 1_000_000]).uniform(-1, 1, 3)
        part = np.where(mask if sprite.pixels.ndim == 2 else mask[..., None], sprite.pixels, 0)
        middle = float(x[mask].mean()), float(y[mask].mean())
        turn = cv2.getRotationMatrix2D(middle, float(70 * chance[2] * min(reach / em, 1.0)), 1.0)
        turn[:, 2] += most + reach * chance[0], most + reach * (0.6 * chance[1] + 0.5)
        moved = cv2.warpAffine(np.ascontiguousarray(part), turn, shape[1::-1], flags=cv2.INTER_LINEAR)
        cv2.max(made, moved, dst=made)
    return Sprite(made, sprite.left - most, sprite.top - most)


_PIECE = 0.3
"""How large pieces are, in sizes of the letters."""


def written(sprite: Sprite, share: float) -> Sprite:
    """Return what of a sprite a pen has written: it goes along the strokes, from what is leftmost."""
    plane = sprite.pixels if sprite.pixels.ndim == 2 else np.ascontiguousarray(sprite.pixels[..., 3])
    height, width = plane.shape
    shrink = max(1.0, max(height, width) / _PEN_PIXELS)
    size = max(2, round(width / shrink)), max(2, round(height / shrink))
    small = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    turns = _strokes(np.asarray(small > small.max() * 0.3, np.uint8))
    large = cv2.resize(turns, (width, height), interpolation=cv2.INTER_LINEAR)
    seen = np.clip((share * 1.06 - large) / 0.03, 0, 1).astype(np.float32)
    kept = sprite.pixels * (seen if sprite.pixels.ndim == 2 else seen[..., None])
    return Sprite(np.rint(kept).astype(np.uint8), sprite.left, sprite.top)


_PEN_PIXELS = 64


def _strokes(ink: Plane) -> Float32Array:
    """Return when a pen comes by each place, float32, 0 to 1: by how far one goes within the ink."""
    steps = np.full(ink.shape, -1, np.int32)
    left, step, kernel = ink.copy(), 0, np.ones((3, 3), np.uint8)
    while left.any():
        rows, columns = np.nonzero(left)
        first = int(np.argmin(columns + 0.3 * rows))
        here = np.zeros_like(ink)
        here[rows[first], columns[first]] = 1
        while here.any():
            steps[here > 0] = step
            left[here > 0] = 0
            here = np.asarray(cv2.bitwise_and(cv2.dilate(here, kernel), left), np.uint8)
            step += 1
    # What is no ink takes the time of what is nearest, so that soft edges come with their strokes.
    turns = (steps / max(step - 1, 1)).astype(np.float32)
    for _ in range(3):
        grown = cv2.dilate(turns, kernel)
        turns = np.where(turns < 0, grown, turns)
    return np.where(turns < 0, np.float32(1), turns)


def add_sprite(coverage: Plane, sprite: Sprite) -> tuple[int, int, int, int] | None:
    """Add a sprite to a coverage, in place, and return the box it fills (x0, y0, x1, y1), or None.

    The sum is saturated, so that letters which touch are joined without a seam.
    """
    height, width = coverage.shape
    x0, y0 = max(0, sprite.left), max(0, sprite.top)
    x1 = min(width, sprite.left + sprite.pixels.shape[1])
    y1 = min(height, sprite.top + sprite.pixels.shape[0])
    if x0 >= x1 or y0 >= y1:
        return None
    part = sprite.pixels[y0 - sprite.top : y1 - sprite.top, x0 - sprite.left : x1 - sprite.left]
    view = coverage[y0:y1, x0:x1]
    cv2.add(view, np.ascontiguousarray(part), dst=view)
    return x0, y0, x1, y1


def lay_sprite(picture: Picture, sprite: Sprite) -> None:
    """Lay a premultiplied sprite over a premultiplied picture, in place."""
    height, width = picture.shape[:2]
    x0, y0 = max(0, sprite.left), max(0, sprite.top)
    x1 = min(width, sprite.left + sprite.pixels.shape[1])
    y1 = min(height, sprite.top + sprite.pixels.shape[0])
    if x0 < x1 and y0 < y1:
        part = sprite.pixels[y0 - sprite.top : y1 - sprite.top, x0 - sprite.left : x1 - sprite.left]
        part, view = np.ascontiguousarray(part), picture[y0:y1, x0:x1]
        uncovered = cv2.bitwise_not(cv2.merge([np.ascontiguousarray(part[..., 3])] * 4))
        view[:] = cv2.add(cv2.multiply(np.ascontiguousarray(view), uncovered, scale=1 / 255), part)
