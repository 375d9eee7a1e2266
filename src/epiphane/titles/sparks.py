"""What a landing throws as if it were filmed: sparks that taper, glow and cool, and clouds of dust."""

from __future__ import annotations

import math

import cv2
import numpy as np

from epiphane.noise import clouds
from epiphane.titles.coverage import EMPTY, Box
from epiphane.types import FloatArray, Plane, Size

_GRAVITY, _DRAG = 7.0, 3.2
"""Sizes of the letters per second squared; of its speed that a spark loses in a second, as an exponent."""
_OPEN = 1 / 32
"""Seconds for which the shutter is open: so long is a streak, and what is slow is a point."""
_FRACTION = 4  # binary digits of a pixel
_GLOW_SIGMA, _GLOW_TIMES, _GLOW = 0.1, 4, 1.1
_DUST_TIMES, _DUST_LEVEL, _MOST_DUST = 8, 420.0, 190.0
_CLOUD_COLUMNS = 96


def sparks_of(
    outline: FloatArray,
    place: FloatArray,
    seconds: float,
    size: Size,
    *,
    number: int,
    seed: int,
) -> tuple[Plane, Plane, Box]:
    """Return the coloured tails and glow of sparks, their white heads, and the box of both.

    Few are large and quick, most are fine and slow (log-normal); each is as long as its way while the shutter
    is open, and its tail tapers to nothing.

    Parameters
    ----------
    outline : float64, shape (n, 2), in sizes of the letters
        Where they come from.
    place : float64, shape (3, 3), from sizes to pixels
    """
    tails, heads = np.zeros((size[1], size[0]), np.uint8), np.zeros((size[1], size[0]), np.uint8)
    chance = np.random.default_rng([seed, 11])
    start = outline[chance.integers(0, len(outline), number)]
    away = start / np.maximum(np.hypot(start[:, 0], start[:, 1]), 0.3)[:, None]
    speed = np.minimum(np.exp(chance.normal(0.9, 0.75, (number, 1))) * 1.6, 14.0)
    course = (away + chance.normal(0, 0.45, (number, 2))) * speed - (0, 1.6)
    life = np.clip(np.exp(chance.normal(-0.65, 0.5, number)), 0.12, 1.5)
    wide = np.clip(0.024 * np.exp(chance.normal(0, 0.6, number)), 0.008, 0.08)
    em = float(np.hypot(place[0, 0], place[1, 0]))

    def at(time: float) -> FloatArray:
        gone = (1 - math.exp(-_DRAG * time)) / _DRAG
        there = start + course * gone + (0, 0.5 * _GRAVITY * time * time)
        return np.asarray(there @ place[:2, :2].T + place[:2, 2])

    box, left = EMPTY, np.clip(1 - seconds / life, 0, 1)
    for head, tail, width, share in zip(at(seconds), at(max(0.0, seconds - _OPEN)), wide, left, strict=True):
        if share <= 0 or not np.all(np.abs(head) < 20_000):
            continue
        # No thinner than a pixel, but fainter.
        pixels = max(float(width) * em, 1.0)
        level = float(share) ** 1.2 * min(float(width) * em, 1.0)
        shape = _tapered(head, tail, pixels)
        _fill(tails, shape, level)
        if share > 0.45:  # it cools: its head is white only in its youth
            _fill(heads, _tapered(head, head + 0.4 * (tail - head), 0.7 * pixels), level * (2 * share - 0.9))
        low, high = shape.min(axis=0), shape.max(axis=0)
        box = box.joined(Box(int(low[0]) - 2, int(low[1]) - 2, int(high[0]) + 3, int(high[1]) + 3))
    reach = math.ceil(3 * _GLOW_SIGMA * em) + _GLOW_TIMES
    box = box.grown(reach, size)
    if not box.is_empty:
        _glow(tails, box, _GLOW_SIGMA * em)
    return tails, heads, box


def _tapered(head: FloatArray, tail: FloatArray, pixels: float) -> FloatArray:
    """Return the corners of a streak that is round at its head, and comes to a point at its tail."""
    way = head - tail
    length = float(np.hypot(*way))
    along = way / length if length > 1e-3 else np.array([0.0, -1.0])
    aside = np.array([-along[1], along[0]]) * pixels / 2
    end = head - along * max(length, pixels)
    return np.array([head + aside, head + along * pixels / 2, head - aside, end])


def _fill(plane: Plane, shape: FloatArray, level: float) -> None:
    points = np.rint((shape - 0.5) * 2**_FRACTION).astype(np.int32)
    cv2.fillConvexPoly(plane, points, round(255 * min(max(level, 0.0), 1.0)), cv2.LINE_AA, _FRACTION)


def _glow(plane: Plane, box: Box, sigma: float) -> None:
    """Add light about what is drawn on a plane, in place."""
    part = box.of(plane)
    small_size = max(1, part.shape[1] // _GLOW_TIMES), max(1, part.shape[0] // _GLOW_TIMES)
    small = cv2.resize(part, small_size, interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), max(sigma / _GLOW_TIMES, 0.5), borderType=cv2.BORDER_CONSTANT)
    halo = cv2.resize(
        cv2.convertScaleAbs(soft, alpha=_GLOW), part.shape[::-1], interpolation=cv2.INTER_LINEAR
    )
    plane[box.y0 : box.y1, box.x0 : box.x1] = cv2.add(part, halo)


def dust_of(
    outline: FloatArray, place: FloatArray, share: float, size: Size, *, thickness: float, seed: int
) -> tuple[Plane, Box]:
    """Return dust that is blown out along the foot in clouds, spreads, and lies as it thins; and its box.

    Parameters
    ----------
    share : float, 0 to 1
        How much of its time is over.
    """
    whole = np.zeros((size[1], size[0]), np.uint8)
    if thickness <= 0 or share <= 0 or share >= 1:
        return whole, EMPTY
    low, high = outline.min(axis=0), outline.max(axis=0)
    out = 1 - (1 - share) ** 3
    em = float(np.hypot(place[0, 0], place[1, 0])) / _DUST_TIMES
    shape = -(-size[1] // _DUST_TIMES), -(-size[0] // _DUST_TIMES)
    back = np.linalg.inv(place)
    rows, columns = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32) * _DUST_TIMES + _DUST_TIMES / 2
    x = back[0, 0] * columns + back[0, 1] * rows + back[0, 2]
    y = back[1, 0] * columns + back[1, 1] * rows + back[1, 2]
    # It lies along the foot, and runs out beyond both ends; higher the nearer to the ends of its way.
    beyond = np.maximum(np.maximum(low[0] - x, x - high[0]), 0.0)
    reach = 0.25 + 1.7 * out
    tall = (0.2 + 0.5 * out) * np.clip(1 - beyond / reach, 0, 1) ** 0.7
    above = (high[1] - y) / np.maximum(tall, 1e-3)
    lies = np.exp(-np.maximum(above, 0) * 1.6) * (above > -0.5) * np.clip(1 - beyond / reach, 0, 1)
    lumps = clouds((seed, 13), (_CLOUD_COLUMNS, round(_CLOUD_COLUMNS * shape[0] / shape[1]) + 1), 14, 4)
    moved = cv2.resize(lumps, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)
    uneven = np.clip(2.6 * (moved - 0.5 + 0.25 * (1 - share)) + 0.4, 0, 1.3)
    level = thickness * (1 - share) ** 1.2 * _DUST_LEVEL
    soft = cv2.GaussianBlur((lies * uneven * level).astype(np.float32), (0, 0), max(0.05 * em, 0.6))
    levels = np.minimum(soft, _MOST_DUST).astype(np.uint8)
    whole[:] = cv2.resize(levels, size, interpolation=cv2.INTER_LINEAR)
    return whole, Box(0, 0, *size)
