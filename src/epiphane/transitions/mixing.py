"""Helpers of transitions: masks by the order of points, windows that travel, directions."""

from collections.abc import Callable
from functools import lru_cache
from typing import TypeAlias

import cv2
import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from epiphane.declare.parameters import AnyParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.ink_flow import DENSITY, InkFlow, Squirt
from epiphane.effects.operations import Warp, scale_about, spreading
from epiphane.effects.pixels import GAMMA, level_of, light_of, shaded, to_levels, to_light
from epiphane.effects.shining import lit
from epiphane.transitions.declare import Blend, Composed, Masked, Progress, Weighted
from epiphane.types import Float32Array, FloatArray, Picture, Pixels, Plane, Size

Order: TypeAlias = NDArray[np.uint16]
"""uint16, shape (height, width): when the turn of each point comes, 0 first."""
_LAST = 65535
_SQUIRTS, _LATE, _FLOW_COLUMNS, _FLOW_STEPS = (4, 3), 14, 96, 64
_LEAST_EDGE, _MOST_EDGE, _HALO, _EDGE_WHITES = 0.006, 0.018, 0.012, 0.7
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


class EdgeLight(Struct, frozen=True):
    """How what goes over is lit along its edge: how much, below 0 darkened, and in which colour, BGR."""

    strength: float
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)

    @classmethod
    def of(cls, values: Values) -> "EdgeLight":
        """Return the light that the values of `edge_parameters` say."""
        blue, green, red = colour_to_bgr(values.edge_colour)
        return cls(values.edge / 100, (blue, green, red))


def edge_parameters(strength: float = 60, colour: str = "#ffedcc") -> tuple[AnyParameter, ...]:
    """Return the parameters of the light along the edge of what goes over."""
    light = "Light on the edge"
    return (
        Parameter("edge", light, "%", low=-100, high=300, rest=strength, peak=strength, help="Below 0: dark"),
        ColourParameter("edge_colour", "Its colour", colour),
    )


def in_order_lit(
    order: Callable[[Size], Order], progress: Progress, softness: float, edge: EdgeLight
) -> Masked | Composed:
    """Return the mixture of `in_order` whose edge is lit, or darkened."""
    if edge.strength == 0:
        return in_order(order, progress.share, softness)
    ramp = ramp_of(progress.share, softness)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        places = order((width, height))
        mask = np.asarray(cv2.LUT(places, ramp), np.uint8)
        done = masked(outgoing, incoming, mask, in_light=progress.in_light)
        return edge_lit(done, places, progress, softness, edge)

    return Composed(apply)


def edge_lit(picture: Picture, order: Order, progress: Progress, softness: float, edge: EdgeLight) -> Picture:
    """Return a picture with light, or shade, along the edge of what goes over in an order."""
    width = order.shape[1]
    small = cv2.resize(
        order, (max(1, width // 2), max(1, order.shape[0] // 2)), interpolation=cv2.INTER_NEAREST
    )
    # Where in the order the edge is, and how wide: none of it at both ends.
    at, wide = progress.share * (1 + softness) - softness / 2, min(max(softness / 4, _LEAST_EDGE), _MOST_EDGE)
    places = np.arange(_LAST + 1, dtype=np.float32) / _LAST
    near = np.exp(-(((places - at) / wide) ** 2)) * np.float32(min(1.0, 5 * progress.nearness))
    bell = np.asarray(cv2.LUT(small, near.astype(np.float32)[None]), np.float32)
    if edge.strength < 0:
        return shaded(picture, 1 + np.float32(edge.strength) * bell)
    halo = cv2.GaussianBlur(bell, (0, 0), max(_HALO * width / 2, 0.5))
    light = (bell + halo)[..., None] * (_EDGE_WHITES * edge.strength * np.array(edge.colour, np.float32))
    return lit(picture, np.asarray(light, np.float32))


def shadow_beside(picture: Picture, at: int, reach: int, strength: float, *, to_left: bool) -> Picture:
    """Return a picture that is darker beside a column, as under the edge of one that lies over it."""
    width = picture.shape[1]
    first, end = (max(0, at - reach), max(0, at)) if to_left else (min(width, at), min(width, at + reach))
    if end <= first or strength == 0:
        return picture
    away = np.abs(np.arange(first, end) + 0.5 - at) / max(reach, 1)
    done = picture.copy()
    gain = (1 - strength * (1 - away) ** 2).astype(np.float32)[None, :, None]
    done[:, first:end] = np.rint(done[:, first:end] * gain)
    return done


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
    elif weights.how is Blend.LIGHTEN_LIGHT:  # of a weight as light: w^(1 / 2.2) of levels
        of_levels = Weighted(weights.outgoing ** (1 / GAMMA), weights.incoming ** (1 / GAMMA), Blend.LIGHTEN)
        mixed = weighted(outgoing, incoming, of_levels)
    elif weights.how is Blend.DARKEN_LIGHT:
        mixed = cv2.min(_whitened(outgoing, weights.outgoing), _whitened(incoming, weights.incoming))
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


def _whitened(picture: Picture, weight: float) -> Picture:
    """Return a picture of whose light so much is its own, and the rest white."""
    light = light_of(np.arange(256) / 255)
    table = np.rint(255 * level_of(1 - weight * (1 - light))).astype(np.uint8)
    return np.asarray(cv2.LUT(picture, table), np.uint8)


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


@lru_cache(maxsize=8)
def ink_order(size: Size, seed: int) -> Order:
    """Return an order as of ink that spreads in water: when dye reaches each place of a flow."""
    places = cv2.resize(
        _ink_arrival(round(100 * size[1] / size[0]), seed), size, interpolation=cv2.INTER_CUBIC
    )
    return as_order(np.asarray(places, float))


@lru_cache(maxsize=8)
def _ink_arrival(percent: int, seed: int) -> Float32Array:
    """Return when dye reaches each place of a flow as wide as it is high by so many percent, float32, 0 to 1.

    Where none has come at the end, what lies nearer to some goes before; all times are as common (ranks).
    """
    across, down = _SQUIRTS
    squirts = [
        Squirt(
            (number % across + x) / across,
            (number // across + y) / down,
            2 * np.pi * way,
            int(2 + _LATE * late),
            length=9,
            power=1.2,
        )
        for number, (x, y, way, late) in enumerate(chances_of(seed, (across * down, 4)))
    ]
    columns, rows = _FLOW_COLUMNS, max(4, round(_FLOW_COLUMNS * percent / 100))
    flow = InkFlow((columns, rows), fineness=2, seed=seed)
    covered = np.zeros((2 * rows, 2 * columns), np.float32)
    for _ in range(_FLOW_STEPS):
        flow.advance(squirts)
        covered += 1 - np.exp(-DENSITY * flow.dye)
    spread = cv2.GaussianBlur(covered, (0, 0), columns / 8, borderType=cv2.BORDER_REFLECT)
    ranks = np.argsort(np.argsort(-(covered + 0.35 * spread).ravel(), kind="stable"), kind="stable")
    return (ranks / max(ranks.size - 1, 1)).astype(np.float32).reshape(covered.shape)


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
