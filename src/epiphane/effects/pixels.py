"""Pixel helpers of effects: Gaussian blur at reduced size, blending, patterns, hashed noise.

Lengths are shares of the picture's width; the functions turn them into pixels of the picture at hand.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from epiphane.types import Float32Array, FloatArray, Picture, Pixels, Plane, Size

Light: TypeAlias = NDArray[np.uint16]
LUMA = np.array([0.0722, 0.7152, 0.2126])
"""Blue, green and red in brightness (ITU-R BT.709)."""
GAMMA = 2.2
"""The power of levels that light is: a stop more multiplies them by 2^(1 / 2.2)."""
HEADROOM = 4.0
"""How many whites above white a lamp is taken to have, where light is spread."""
LEAST_SIGMA = 0.2
"""In pixels: less of a blur is not to be seen."""
# By how many times smaller: of the steps down and up again less is seen, the more there is to blur.
_LEAST_SIGMAS = {1: 0.0, 2: 2.5, 4: 6.0, 8: 14.0}


def white_balance(warmth: float, green: float) -> FloatArray:
    """Return the factors of blue, green and red, shape (3,): grey keeps its brightness.

    Parameters
    ----------
    warmth, green : float, -1 to 1
        Towards red and away from blue; towards green.
    """
    gains = np.array([1 - 0.35 * warmth, 1 + 0.25 * green, 1 + 0.35 * warmth])
    return np.asarray(gains / float(LUMA @ gains))


def saturation_matrix(amount: float) -> FloatArray:
    """Return the matrix, shape (3, 3), that takes colours nearer to grey of their brightness; 1 is as is."""
    return np.asarray(amount * np.eye(3) + (1 - amount) * np.ones((3, 1)) * LUMA)


def to_light(picture: Picture, headroom: float = 0.0) -> Light:
    """Return the linear light of levels, uint16, the shape of `picture`: 0 to 65535 (IEC 61966-2-1).

    With a `headroom` h what a camera cut off is given back: light x is lifted to ``x (1 + h x^6)``, so white
    has h + 1 of it and lamps stay bright when they are spread, while greys are hardly changed.
    """
    return np.asarray(cv2.LUT(picture, _light_tables(headroom)[0]), np.uint16)


def to_levels(light: Light, headroom: float = 0.0) -> Picture:
    """Return the levels of linear light, uint8, the shape of `light`, as `to_light` has it."""
    return np.asarray(cv2.LUT(light, _light_tables(headroom)[1]), np.uint8)


@lru_cache(maxsize=8)
def _light_tables(headroom: float) -> tuple[Light, Picture]:
    """Return tables from levels to light and back: the straight foot of the curve keeps dark levels apart."""
    fine = np.arange(65536) / 65535
    levels, finest = np.arange(256) / 255, fine * (1 + headroom)
    lifted = fine * (1 + headroom * fine**6)
    light = light_of(levels)
    there = 65535 * light * (1 + headroom * light**6) / (1 + headroom)
    unlifted = np.interp(finest, lifted, fine)
    return np.rint(there).astype(np.uint16), np.rint(255 * level_of(unlifted)).astype(np.uint8)


def light_of(levels: FloatArray) -> FloatArray:
    """Return the linear light of levels, both 0 to 1, by the curve of IEC 61966-2-1."""
    return np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4)


def level_of(light: FloatArray) -> FloatArray:
    """Return the levels of linear light, 0 and more: `light_of` undone."""
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)


def blurred(picture: Picture, sigma: float) -> Picture:
    """Return a picture with a Gaussian blur whose standard deviation is a share of the width.

    It is done at the size that is enough for it, see `shrink_for`.
    """
    return np.asarray(softened(picture, sigma), np.uint8)


def spread_light(picture: Picture, change: Callable[[Pixels], Pixels]) -> Picture:
    """Return a picture with its linear light changed, lamps lifted by `HEADROOM` meanwhile."""
    return to_levels(np.asarray(change(to_light(picture, HEADROOM)), np.uint16), HEADROOM)


def softened(pixels: Pixels, sigma: float) -> Pixels:
    """Return levels or light, of 8 or 16 bits, with the blur of `blurred`."""
    height, width = pixels.shape[:2]
    wide = sigma * width
    if wide < LEAST_SIGMA:
        return pixels
    shrink = shrink_for(wide, (width, height))
    small = pixels
    if shrink > 1:
        small = np.asarray(
            cv2.resize(pixels, (-(-width // shrink), -(-height // shrink)), interpolation=cv2.INTER_AREA)
        )
    left = sigma_left(wide, shrink)
    done = cv2.GaussianBlur(small, (0, 0), left, borderType=cv2.BORDER_REFLECT)
    return np.asarray(done if shrink == 1 else cv2.resize(done, (width, height)))


def shrink_for(sigma: float, size: Size) -> int:
    """Return how many times smaller a picture may be while it is blurred by `sigma` of its pixels.

    What is lost is blurred away anyhow: 1, 2, 4 or 8. On footage with grain it stays within 2 levels or so of
    the blur at full size.
    """
    return max(n for n, least in _LEAST_SIGMAS.items() if n == 1 or (sigma >= least and min(size) >= 8 * n))


def sigma_left(sigma: float, shrink: int) -> float:
    """Return how much is left to blur, in smaller pixels, when a picture is made smaller and larger again.

    Averaging over a pixel has a variance of 1/12 of it, and going straight from one to the next 1/6.
    """
    return sigma if shrink == 1 else float(np.sqrt((sigma / shrink) ** 2 - 1 / 12 - 1 / 6))


def resized(picture: Picture, size: tuple[int, int]) -> Picture:
    """Return a smaller picture, every pixel of the large one counted."""
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


def moved(picture: Pixels, step: FloatArray, *, border: int | None = None) -> Pixels:
    """Return a picture, or a channel, moved by pixels; its mirror image follows, or what `border` says.

    Between whole pixels it is a mean of two neighbours, one direction after the other (bilinear).

    Parameters
    ----------
    picture : uint8 or float32, shape (height, width) or (height, width, n_channels)
    step : float64, shape (2,), pixels to the right and down
    border : int, optional
        A border type of OpenCV; the mirror image if none is said.
    """
    for axis, distance in ((1, float(step[0])), (0, float(step[1]))):
        if distance == 0:
            continue
        whole, n = int(np.floor(distance)), picture.shape[axis]
        before, after = max(0, whole + 1), max(0, -whole)
        sides = (0, 0, before, after) if axis == 1 else (before, after, 0, 0)
        kind = cv2.BORDER_REFLECT if border is None else border
        wide = np.asarray(cv2.copyMakeBorder(picture, *sides, kind))
        first = before - whole
        near, far = (wide[:, a : a + n] if axis == 1 else wide[a : a + n] for a in (first, first - 1))
        picture = np.asarray(cv2.addWeighted(near, 1 - (distance - whole), far, distance - whole, 0))
    return picture


def turned_share(levels: FloatArray, amount: float) -> FloatArray:
    """Return which levels, 0 to 1, have turned into their opposites, as shares: the brightest do first.

    Nothing has at an `amount` of 0, all at 1; half way it is what a print is that saw light while it was
    developed (solarised), and no even grey.
    """
    edge = 0.25
    threshold = 1 + edge - amount * (1 + 2 * edge)
    return np.asarray(np.clip((levels - threshold) / edge + 0.5, 0, 1))


def screened(picture: Picture, light: Picture) -> Picture:
    """Return a picture with light added as a screen adds it, which never burns out.

    ``255 - (255 - picture) (255 - light) / 255``; `light` is a picture of the same proportions, and may be
    smaller where it is smooth.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    light : uint8, shape (rows, columns, 3)
    """
    whole = _as_large(light, picture)
    left = cv2.multiply(cv2.bitwise_not(picture), cv2.bitwise_not(whole), scale=1 / 255)
    return np.asarray(cv2.bitwise_not(left), np.uint8)


def coloured(light: Float32Array, colour: FloatArray) -> Picture:
    """Return light in a colour.

    Parameters
    ----------
    light : float32, shape (height, width), 0 to 1
    colour : float64, shape (3,), BGR, 0 to 1

    Returns
    -------
    uint8, shape (height, width, 3), BGR
    """
    return np.asarray(np.rint(light[..., None] * (255 * colour)), np.uint8)


MIDDLE = 128
"""The level of noise that changes nothing."""


def noise(seeds: Sequence[int], size: Size, levels: Sequence[float]) -> Plane:
    """Return noise whose points have one of 256 levels, all as likely; the same for the same seeds.

    Parameters
    ----------
    seeds : sequence of int
    size : (width, height), pixels
    levels : sequence of 256 floats
        What is added to `MIDDLE`, -128 to 127.

    Returns
    -------
    uint8, shape (height, width)
    """
    width, height = size
    table = np.clip(np.rint(np.asarray(levels) + MIDDLE), 0, 255).astype(np.uint8)
    # Bytes by a table come twelve times as quickly as normal numbers.
    drawn = np.frombuffer(np.random.default_rng(seeds).bytes(width * height), np.uint8)
    return np.asarray(cv2.LUT(drawn.reshape(height, width), table), np.uint8)


def with_noise(picture: Picture, noise: Plane) -> Picture:
    """Return a picture with noise laid over it, the same in all colours: ``picture + noise - MIDDLE``.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    noise : uint8, shape (height, width)
    """
    return with_difference(picture, np.asarray(cv2.merge([noise] * 3), np.uint8))


def with_difference(picture: Picture, difference: Picture) -> Picture:
    """Return a picture with a difference added: ``picture + difference - MIDDLE``, both of one shape."""
    return np.asarray(cv2.addWeighted(picture, 1, difference, 1, -MIDDLE), np.uint8)


def shaded_rows(picture: Picture, gain: FloatArray) -> Picture:
    """Return a picture with each row multiplied by its gain, in steps of 1/255.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    gain : float64, shape (height,), 0 to 1
    """
    height, width = picture.shape[:2]
    steps = np.rint(np.clip(gain, 0, 1) * 255).astype(np.uint8)
    flat = np.ascontiguousarray(picture).reshape(height, 3 * width)
    factors = np.repeat(steps[:, None], 3 * width, axis=1)
    return np.asarray(cv2.multiply(flat, factors, scale=1 / 255), np.uint8).reshape(picture.shape)


def shaded(picture: Picture, gain: Float32Array) -> Picture:
    """Return a picture with every pixel multiplied by a gain.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    gain : float32, shape (rows, columns), 0 to 1
        Of the same proportions; may be smaller where it is smooth.
    """
    whole = _as_large(np.asarray(np.rint(255 * np.clip(gain, 0, 1)), np.uint8), picture)
    return np.asarray(cv2.multiply(picture, cv2.merge([whole] * 3), scale=1 / 255), np.uint8)


def _as_large(small: Picture, picture: Picture) -> Picture:
    height, width = picture.shape[:2]
    if small.shape[:2] == (height, width):
        return small
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)


def coarse_points(picture: Picture, step: int = 4) -> tuple[Float32Array, Float32Array]:
    """Return x and y at the middle of squares of pixels, for what is smooth; see `points`.

    Parameters
    ----------
    picture : shape (height, width, ...)
    step : int, pixels
        The side of a square.
    """
    height, width = picture.shape[:2]
    return points(max(1, -(-width // step)), max(1, -(-height // step)), height / width)


@lru_cache(maxsize=8)
def points(columns: int, rows: int, half_height: float) -> tuple[Float32Array, Float32Array]:
    """Return x and y of the middles of columns and rows that cover a picture.

    Its middle is (0, 0), its left and right edges are -1 and 1, the upper and lower ones `half_height`.

    Returns
    -------
    x, y : float32, shape (rows, columns), read-only
    """
    across = ((np.arange(columns) + 0.5) * 2 / columns - 1).astype(np.float32)
    down = (((np.arange(rows) + 0.5) * 2 / rows - 1) * half_height).astype(np.float32)
    x, y = np.meshgrid(across, down)
    x.flags.writeable = y.flags.writeable = False
    return x, y


def looked_up(picture: Pixels, x: Float32Array, y: Float32Array) -> Pixels:
    """Return at every point what lies at another one, mirrored beyond the edge.

    Parameters
    ----------
    picture : uint8, shape (height, width) or (height, width, n_channels)
    x, y : float32, shape (rows, columns)
        Where the middles of squares of pixels take their value from, in the unit of `points`.
    """
    height, width = picture.shape[:2]
    places = (x * np.float32(width / 2) + np.float32(width / 2 - 0.5), y * np.float32(width / 2))
    maps = [
        cv2.resize(part.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR)
        for part in places
    ]
    down = maps[1] + np.float32(height / 2 - 0.5)
    return np.asarray(cv2.remap(picture, maps[0], down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT))


def smooth_noise(seconds: float, *, per_second: float, seed: int, n: int) -> FloatArray:
    """Return some values that wander smoothly and never jump, each -1 to 1.

    Every value goes from one random number to the next, `per_second` of them, eased by a quintic so that
    neither its speed nor its acceleration jumps (Perlin, Improving noise, SIGGRAPH 2002).

    Parameters
    ----------
    seconds : float, seconds
    per_second : float, 1 / second
    seed : int
        The same seed gives the same course.
    n : int

    Returns
    -------
    float64, shape (n,)
    """
    place = seconds * per_second
    step = int(np.floor(place))
    share = place - step
    eased = share**3 * (share * (6 * share - 15) + 10)
    before, after = (random_values(seed, step + offset, n) for offset in (0, 1))
    return np.asarray(before + (after - before) * eased)


def step_at(seconds: float, per_second: float) -> int:
    """Return how many times something has changed by an instant, seconds; one on the instant counts."""
    return int(seconds * per_second + 1e-6)


def random_values(seed: int, step: int, n: int) -> FloatArray:
    """Return random values, -1 to 1, float64, shape (n,), that depend on a seed and a step alone."""
    return np.random.default_rng((int(seed), int(step) & 0xFFFFFFFF)).uniform(-1, 1, n)
