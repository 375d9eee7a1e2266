"""Titles as pictures: their letters in place, with outline, shadow, glow, plate and what they throw."""

import math
from collections.abc import Callable

import cv2
import numpy as np
from msgspec import Struct

from epiphane.document.timeline import Transform
from epiphane.document.titles import LogoFill, Shadow, TextFill, TitleLook
from epiphane.facts.titles import TitleClock
from epiphane.titles.coverage import EMPTY, Box, Covered, Ink, covered
from epiphane.titles.landing import light_at, outline_of, standing_place, thrown_from
from epiphane.titles.layout import Block, block_of, fitted_size
from epiphane.titles.logo import ImageInk, logo_block
from epiphane.titles.raster import GlyphInk
from epiphane.titles.sprites import lay_sprite
from epiphane.types import FloatArray, Picture, Plane, Size

_SHADOW_SIZES = ((10.0, 4), (4.0, 2))
"""From which sigma in pixels on a shadow is made how many times smaller: letters are all edge."""
_LEAST_SIGMA = 0.3
_FIELD_TIMES = 2
"""How many times larger the distance to the letters is measured."""
_PLATE_INSET = 0.15
"""A capital is shorter than the size of its letters by twice as much."""


class _Inside(Struct, frozen=True, eq=False):
    """A picture that is seen through letters, BGR, as large as the frame."""

    picture: Picture


class _Layer(Struct, frozen=True, eq=False):
    """Where something of a colour lies, of colours that go over into others downwards, or of a picture."""

    coverage: Plane
    box: Box
    colour: str
    to: str | None = None
    inside: _Inside | None = None


def text_picture(
    fill: TextFill, transform: Transform, clock: TitleClock, size: Size, inside: Picture | None = None
) -> Picture:
    """Return a text as it lies in the frame.

    Parameters
    ----------
    size : (width, height) of the picture, in pixels
    inside : uint8, shape (height, width, 3), or None
        BGR that is seen through the letters in place of their colour.

    Returns
    -------
    uint8, shape (height, width, 4): premultiplied BGRA
    """
    place = title_place(fitted_size(fill, size[0] / size[1]), transform, size)
    top = None if inside is None else _Inside(inside)
    return _title_picture(GlyphInk(), fill, block_of(fill), place, clock, size, fill.colour, fill.to, top)


def logo_picture(
    fill: LogoFill, image: Picture, transform: Transform, clock: TitleClock, size: Size
) -> Picture:
    """Return a logo as it lies in the frame.

    Parameters
    ----------
    image : uint8, shape (height, width, 4), premultiplied BGRA
    size : (width, height) of the picture, in pixels

    Returns
    -------
    uint8, shape (height, width, 4): premultiplied BGRA
    """
    ink = ImageInk(image, fill.colour is None)
    place = title_place(fill.height, transform, size)
    return _title_picture(ink, fill, logo_block(image), place, clock, size, fill.colour, fill.to, None)


def title_place(height: float, transform: Transform, size: Size) -> FloatArray:
    """Return the matrix, float64, shape (3, 3), from sizes of a title, about its middle, to pixels.

    Its size is a `height` in shares of the frame's.
    """
    turn = math.radians(transform.rotation)
    em = height * size[1] * transform.scale
    cos, sin = em * math.cos(turn), em * math.sin(turn)
    middle = (0.5 + transform.x) * size[0], (0.5 + transform.y) * size[1]
    return np.array([[cos, -sin, middle[0]], [sin, cos, middle[1]], [0, 0, 1.0]])


def _title_picture(
    ink: Ink,
    look: TitleLook,
    block: Block,
    place: FloatArray,
    clock: TitleClock,
    size: Size,
    colour: str | None,
    to: str | None,
    inside: "_Inside | None",
) -> Picture:
    """Return a title as it lies in the frame, drawn with some ink: premultiplied BGRA."""
    em = float(np.hypot(place[0, 0], place[1, 0]))
    rest, place = place, standing_place(place, block, look, clock)
    letters = covered(ink, look, block, place, clock, size)
    layers = [] if look.plate is None else [_plate(look, look.plate, block, place, letters.seen, size)]
    thrown = None
    if look.impact is not None and clock.arrived is None and clock.left is None:
        thrown = thrown_from(look.impact, outline_of(ink, block), block, rest, clock.since, size)
    shade = _FALLBACK if colour is None else colour
    if thrown is not None and look.impact is not None:
        layers.append(_Layer(thrown.dust, thrown.dust_box, look.impact.colour or shade))
    layers += [_shadow(letters, one, em, size) for one in (look.shadow, look.glow) if one is not None]
    if thrown is not None and look.impact is not None:
        light = light_at(look.impact, clock.since)
        tint = look.impact.colour or (_EMBER if look.impact.filmed else shade)
        if light > 0:
            layers += [
                _shadow(letters, Shadow(x=0, y=0, blur=blur, opacity=light * share, colour=tint), em, size)
                for blur, share in _LIGHTS
            ]
        layers.append(_Layer(thrown.pieces, thrown.pieces_box, tint))
        if thrown.heads is not None:
            layers.append(_Layer(thrown.heads, thrown.pieces_box, _WHITE_HOT))
    if look.outline > 0:
        layers.append(_outline(letters, look.outline * em, look.outline_colour, size))
    if colour is not None:
        layers.append(_Layer(letters.coverage, letters.box, colour, to, inside))
    if look.inline > 0 and colour is not None:
        layers.append(_inline(letters, look.inline * em, look.inline_colour, size))
    picture = _composed(layers, block, place, size)
    for sprite in letters.coloured:
        lay_sprite(picture, sprite)
    return picture


_WHITE_HOT = "#fffaf0"
_EMBER = "#ffb050"
_LIGHTS = ((0.6, 1.0), (0.14, 1.0))
"""Of the light of a landing: how far it reaches, and how much of it, wide and near."""
_FALLBACK = "#ece4d4"
"""Of what a logo in its own colours throws."""


def _composed(layers: list[_Layer], block: Block, place: FloatArray, size: Size) -> Picture:
    """Return layers over one another, the lowest first: of each what those above it leave is seen."""
    picture = np.zeros((size[1], size[0], 4), np.uint8)
    box = EMPTY
    for layer in layers:
        box = box.joined(layer.box)
    box = box.grown(0, size)
    if box.is_empty:
        return picture
    left: Plane = np.full((box.y1 - box.y0, box.x1 - box.x0), 255, np.uint8)
    planes: list[Plane] = [np.zeros_like(left) for _ in range(3)]
    for layer in reversed(layers):
        seen = np.asarray(cv2.multiply(box.of(layer.coverage), left, scale=1 / 255), np.uint8)
        left = np.asarray(cv2.subtract(left, seen), np.uint8)
        down = None if layer.to is None else _down(block, place, box)
        for number, plane in enumerate(planes):
            if layer.inside is not None:
                levels = cv2.multiply(seen, box.of(layer.inside.picture[..., number]), scale=1 / 255)
            elif layer.to is None or down is None:
                levels = cv2.convertScaleAbs(seen, alpha=_bgr(layer.colour)[number] / 255)
            else:
                first, last = _bgr(layer.colour)[number], _bgr(layer.to)[number]
                levels = cv2.convertScaleAbs(seen * (first + down * np.float32(last - first)), alpha=1 / 255)
            cv2.add(plane, levels, dst=plane)
    alpha = np.asarray(cv2.bitwise_not(left), np.uint8)
    within = [cv2.min(plane, alpha) for plane in planes]
    picture[box.y0 : box.y1, box.x0 : box.x1] = cv2.merge([*within, alpha])
    return picture


def _down(block: Block, place: FloatArray, box: Box) -> np.ndarray:
    """Return how far down the block each pixel of a box lies, float32, from 0 at its top to 1."""
    back = np.linalg.inv(place).astype(np.float32)
    x = np.arange(box.x0, box.x1, dtype=np.float32) + np.float32(0.5)
    y = np.arange(box.y0, box.y1, dtype=np.float32) + np.float32(0.5)
    down = back[1, 0] * x[None] + (back[1, 1] * y + back[1, 2])[:, None]
    return np.asarray(np.clip(down / np.float32(max(block.height, 1e-6)) + np.float32(0.5), 0, 1))


def _shadow(letters: Covered, shadow: Shadow, em: float, size: Size) -> _Layer:
    """Return a blurred copy of all letters; one blur is enough for them, as blurring is linear."""
    sigma, shift = shadow.blur * em, (shadow.x * em, shadow.y * em)
    box = letters.box.grown(int(3 * sigma + max(abs(one) for one in shift)) + 2, size)
    whole = np.zeros_like(letters.coverage)
    if box.is_empty:
        return _Layer(whole, box, shadow.colour)
    part = box.of(letters.coverage)
    height, width = part.shape
    shrink = next((times for least, times in _SHADOW_SIZES if sigma >= least), 1)
    small_size = -(-width // shrink), -(-height // shrink)
    small = part if shrink == 1 else cv2.resize(part, small_size, interpolation=cv2.INTER_AREA)
    if sigma > _LEAST_SIGMA:
        rest = sigma if shrink == 1 else math.sqrt((sigma / shrink) ** 2 - 0.25)
        small = cv2.GaussianBlur(small, (0, 0), rest, borderType=cv2.BORDER_CONSTANT)
    across, down = small_size[0] / width, small_size[1] / height
    back = np.array([[across, 0, (0.5 - shift[0]) * across - 0.5], [0, down, (0.5 - shift[1]) * down - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    soft = cv2.warpAffine(small, back, (width, height), flags=flags, borderMode=cv2.BORDER_CONSTANT)
    whole[box.y0 : box.y1, box.x0 : box.x1] = cv2.convertScaleAbs(soft, alpha=shadow.opacity)
    return _Layer(whole, box, shadow.colour)


def _outline(letters: Covered, width: float, colour: str, size: Size) -> _Layer:
    """Return the letters grown by a width in pixels, any part of one."""
    box = letters.box.grown(math.ceil(width) + 2, size)

    def ring(inside: Plane) -> np.ndarray:
        return np.clip(width + 0.5 - _distance(np.asarray(1 - inside, np.uint8)), 0, 1)

    return _lined(letters, box, colour, ring)


def _inline(letters: Covered, width: float, colour: str, size: Size) -> _Layer:
    """Return a line of a width in pixels inside the letters, as far from their edge as it is wide."""

    def ring(inside: Plane) -> np.ndarray:
        within = _distance(inside)
        return np.clip(within - width + 0.5, 0, 1) * np.clip(2 * width + 0.5 - within, 0, 1)

    return _lined(letters, letters.box.grown(2, size), colour, ring)


def _lined(letters: Covered, box: Box, colour: str, ring: Callable[[Plane], np.ndarray]) -> _Layer:
    """Return a line along the letters: from where they are, 1 and 0 and larger, to its coverage, 0 to 1.

    Letters that are faint while they come have a line as faint as they are.
    """
    whole = np.zeros_like(letters.coverage)
    if box.is_empty:
        return _Layer(whole, box, colour)
    part = box.of(letters.coverage)
    strongest = max(int(part.max()), 1)
    large_size = part.shape[1] * _FIELD_TIMES, part.shape[0] * _FIELD_TIMES
    large = np.asarray(cv2.resize(part, large_size, interpolation=cv2.INTER_LINEAR), np.uint8)
    line = (ring(np.asarray(large >= strongest / 2, np.uint8)) * strongest).astype(np.uint8)
    whole[box.y0 : box.y1, box.x0 : box.x1] = cv2.resize(line, part.shape[::-1], interpolation=cv2.INTER_AREA)
    return _Layer(whole, box, colour)


def _distance(inside: Plane) -> np.ndarray:
    """Return how far each place inside is from the edge, in pixels of the frame."""
    return np.asarray(cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)) / np.float32(_FIELD_TIMES)


def _plate(look: TitleLook, colour: str, block: Block, place: FloatArray, seen: float, size: Size) -> _Layer:
    """Return a plate behind the block at rest, as much of it as is seen of the letters."""
    edge = look.plate_edge
    x, y = block.width / 2 + edge, block.height / 2 - _PLATE_INSET + edge
    corners = np.array([(-x, -y, 1), (x, -y, 1), (x, y, 1), (-x, y, 1)]) @ place[:2].T
    coverage = np.zeros((size[1], size[0]), np.uint8)
    points = np.rint((np.clip(corners, -_FARTHEST, _FARTHEST) - 0.5) * 16).astype(np.int32)
    level = round(255 * min(max(seen, 0.0), 1.0))
    cv2.fillConvexPoly(coverage, points.reshape(-1, 1, 2), level, cv2.LINE_AA, 4)
    return _Layer(coverage, Box(0, 0, *size), colour)


_FARTHEST = 100_000.0
"""Pixels, beyond which corners cannot be drawn."""


def _bgr(colour: str) -> tuple[int, int, int]:
    return int(colour[5:7], 16), int(colour[3:5], 16), int(colour[1:3], 16)
