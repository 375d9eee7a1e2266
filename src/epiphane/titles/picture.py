"""Text as a picture: its letters in place, with outline, shadow, glow and plate."""

import math

import cv2
import numpy as np
from msgspec import Struct

from epiphane.document.text import Shadow, TextFill, TextMotion, TextUnit
from epiphane.document.timeline import Transform
from epiphane.facts.text import TextClock
from epiphane.titles.layout import Block, block_of
from epiphane.titles.motions.declare import MOTIONS, REST, Motion
from epiphane.titles.moving import moved_letters
from epiphane.titles.raster import Sprite, add_sprite, coloured_sprites, is_within, letter_sprite
from epiphane.types import FloatArray, Picture, Plane, Size

_SMEAR_SAMPLES, _BLOCK_SAMPLES, _SHUTTER = 6, 14, 0.5
"""Of a frame, by so many pictures in that share of it."""
_SHADOW_SIZES = ((10.0, 4), (4.0, 2))
"""From which sigma in pixels on a shadow is made how many times smaller: letters are all edge."""
_FIELD_TIMES = 2
"""How many times larger the distance to the letters is measured."""


class _Drawn(Struct, frozen=True, eq=False):
    """The letters of a text: their coverage, the box outside which that is 0, and those with colours."""

    coverage: Plane
    box: tuple[int, int, int, int]
    coloured: list[Sprite]


def text_picture(fill: TextFill, transform: Transform, clock: TextClock, size: Size) -> Picture:
    """Return a text as it lies in the frame.

    Parameters
    ----------
    size : (width, height) of the picture, in pixels

    Returns
    -------
    uint8, shape (height, width, 4): premultiplied BGRA
    """
    block = block_of(fill)
    place = text_place(fill, transform, size)
    picture = np.zeros((size[1], size[0], 4), np.uint8)
    drawn, seen = _letters(fill, block, place, clock, size)
    em = fill.size * size[1] * transform.scale
    if fill.plate is not None:
        _lay_plate(picture, fill, block, place, seen)
    for shadow in (fill.shadow, fill.glow):
        if shadow is not None:
            _lay_shadow(picture, drawn, shadow, em)
    if fill.outline > 0:
        _lay(picture, _outlined(drawn, fill.outline * em), _bgr(fill.outline_colour))
    if fill.to is None:
        _lay(picture, drawn, _bgr(fill.colour))
    else:
        _lay_gradient(picture, drawn, fill, place)
    for sprite in drawn.coloured:
        _lay_sprite(picture, sprite)
    return picture


def text_place(fill: TextFill, transform: Transform, size: Size) -> FloatArray:
    """Return the matrix, float64, shape (2, 3), from sizes of the letters, about their block, to pixels."""
    turn = math.radians(transform.rotation)
    em = fill.size * size[1] * transform.scale
    cos, sin = em * math.cos(turn), em * math.sin(turn)
    middle = (0.5 + transform.x) * size[0], (0.5 + transform.y) * size[1]
    return np.array([[cos, -sin, middle[0]], [sin, cos, middle[1]]])


def _letters(
    fill: TextFill, block: Block, place: FloatArray, clock: TextClock, size: Size
) -> tuple[_Drawn, float]:
    """Return the letters as they are now, and how much is seen of them on average, 0 to 1."""
    motion, share = (fill.arrive, clock.arrived) if clock.left is None else (fill.leave, 1 - clock.left)
    if motion is None or share is None:
        return _drawn(block, place, None, size)
    declared = MOTIONS.find(motion.key)
    if declared is None or not declared.is_smeared:
        return _drawn(block, place, moved_letters(block.letters, motion, share), size)
    ahead = clock.step * _SHUTTER * (1 if clock.left is None else -1)
    if motion.unit is TextUnit.BLOCK:
        return _smeared_block(block, place, motion, share, ahead, size)
    total, box, seen = np.zeros((size[1], size[0]), np.float32), (size[0], size[1], 0, 0), 0.0
    last: _Drawn | None = None
    for number in range(_SMEAR_SAMPLES):
        now = min(max(share + ahead * number / (_SMEAR_SAMPLES - 1), 0.0), 1.0)
        last, opacity = _drawn(block, place, moved_letters(block.letters, motion, now), size)
        cv2.accumulate(last.coverage, total)
        box, seen = _joined(box, last.box), seen + opacity / _SMEAR_SAMPLES
    assert last is not None
    coverage = np.asarray(cv2.convertScaleAbs(total, alpha=1 / _SMEAR_SAMPLES), np.uint8)
    return _Drawn(coverage, box, last.coloured), seen


def _smeared_block(
    block: Block, place: FloatArray, motion: TextMotion, share: float, ahead: float, size: Size
) -> tuple[_Drawn, float]:
    """Return a block that moves as one, as it is on average while the shutter is open: drawn once."""
    ends = [moved_letters(block.letters, motion, min(max(at, 0.0), 1.0)) for at in (share, share + ahead)]
    if not block.letters:
        return _drawn(block, place, None, size)
    # Drawn where it is smaller: more of it lies in the frame there.
    moved = min(ends, key=lambda letters: abs(float(np.linalg.det(letters[0][1][:, :2]))))
    drawn, seen = _drawn(block, place, moved, size)
    first = _in_pixels(place, moved[0][1])
    half = -(-size[0] // 2), -(-size[1] // 2)  # what is smeared is as good at half the size
    small = cv2.resize(drawn.coverage, half, interpolation=cv2.INTER_AREA)
    total = np.zeros((half[1], half[0]), np.float32)
    box = (size[0], size[1], 0, 0)
    corners = np.array([(x, y, 1) for x in drawn.box[::2] for y in drawn.box[1::2]], float)
    for number in range(_BLOCK_SAMPLES):
        now = min(max(share + ahead * number / (_BLOCK_SAMPLES - 1), 0.0), 1.0)
        later = _in_pixels(place, moved_letters(block.letters, motion, now)[0][1])
        step = later @ np.linalg.inv(first)
        reached = corners @ step[:2].T
        # At half the size; and from places, which lie between pixels, to the numbers of those.
        step[:2, 2] = step[:2, 2] / 2 + step[:2, :2] @ (0.5, 0.5) - 0.5
        cv2.accumulate(cv2.warpAffine(small, step[:2], half, flags=cv2.INTER_LINEAR), total)
        low = np.floor(reached.min(axis=0)).astype(int) - 1
        high = np.ceil(reached.max(axis=0)).astype(int) + 1
        box = _joined(box, (int(low[0]), int(low[1]), int(high[0]), int(high[1])))
    mean = cv2.convertScaleAbs(total, alpha=1 / _BLOCK_SAMPLES)
    coverage = np.asarray(cv2.resize(mean, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    return _Drawn(coverage, _grown(box, 0, coverage.shape), drawn.coloured), seen


def _in_pixels(place: FloatArray, matrix: FloatArray) -> FloatArray:
    """Return the matrix, shape (3, 3), of a motion in pixels after the place at rest."""
    whole = np.vstack([place, (0, 0, 1)])
    return np.asarray(whole @ np.vstack([matrix, (0, 0, 1)]))


def _drawn(
    block: Block, place: FloatArray, moved: list[tuple[Motion, FloatArray]] | None, size: Size
) -> tuple[_Drawn, float]:
    """Return letters, moved or at rest, and how much is seen of them on average."""
    coverage = np.zeros((size[1], size[0]), np.uint8)
    box, coloured, seen = (size[0], size[1], 0, 0), [], 0.0
    em = float(np.hypot(place[0, 0], place[1, 0]))
    for number, letter in enumerate(block.letters):
        motion, matrix = (REST, None) if moved is None else moved[number]
        here = place if matrix is None else _in_pixels(place, matrix)[:2]
        opacity = min(max(motion.opacity, 0.0), 1.0)
        seen += opacity
        if opacity <= 0 or not is_within(letter, here, size):
            continue
        sprite = letter_sprite(letter, here, motion.blur * em, opacity)
        if sprite is not None:
            filled = add_sprite(coverage, sprite)
            box = box if filled is None else _joined(box, filled)
        coloured += coloured_sprites(letter, here, opacity)
    return _Drawn(coverage, box, coloured), seen / max(1, len(block.letters))


def _joined(box: tuple[int, int, int, int], other: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
    return min(box[0], other[0]), min(box[1], other[1]), max(box[2], other[2]), max(box[3], other[3])


def _grown(box: tuple[int, int, int, int], by: int, shape: tuple[int, ...]) -> tuple[int, int, int, int]:
    return max(0, box[0] - by), max(0, box[1] - by), min(shape[1], box[2] + by), min(shape[0], box[3] + by)


def _lay(picture: Picture, drawn: _Drawn, colour: tuple[int, int, int]) -> None:
    """Lay one colour over a premultiplied picture, in place, where there is coverage."""
    x0, y0, x1, y1 = drawn.box
    if x0 < x1 and y0 < y1:
        cover = drawn.coverage[y0:y1, x0:x1]
        steps = np.arange(256)[:, None] * (np.array([*colour, 255]) / 255)
        table = np.rint(steps).astype(np.uint8)[None]
        laid = np.asarray(cv2.LUT(cv2.merge([cover] * 4), table), np.uint8)
        _over(picture[y0:y1, x0:x1], laid, cover)


def _lay_gradient(picture: Picture, drawn: _Drawn, fill: TextFill, place: FloatArray) -> None:
    """Lay two colours, one going over into the other down the block."""
    x0, y0, x1, y1 = drawn.box
    if x0 >= x1 or y0 >= y1 or fill.to is None:
        return
    block = block_of(fill)
    back = np.linalg.inv(np.vstack([place, (0, 0, 1)]))
    x, y = np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5
    down = back[1, 0] * x[None] + back[1, 1] * y[:, None] + back[1, 2]
    share = np.clip(down / max(block.height, 1e-6) + 0.5, 0, 1)[..., None]
    first, last = (np.array([*_bgr(colour), 255.0]) for colour in (fill.colour, fill.to))
    cover = drawn.coverage[y0:y1, x0:x1]
    laid = np.rint((first + share * (last - first)) * (cover[..., None] / 255)).astype(np.uint8)
    _over(picture[y0:y1, x0:x1], laid, cover)


def _lay_shadow(picture: Picture, drawn: _Drawn, shadow: Shadow, em: float) -> None:
    """Lay a blurred copy of all letters; one blur is enough for them, as blurring is linear."""
    sigma, shift = shadow.blur * em, (shadow.x * em, shadow.y * em)
    reach = int(3 * sigma + max(abs(one) for one in shift)) + 2
    x0, y0, x1, y1 = box = _grown(drawn.box, reach, drawn.coverage.shape)
    if x0 >= x1 or y0 >= y1:
        return
    part = drawn.coverage[y0:y1, x0:x1]
    height, width = part.shape
    shrink = next((times for least, times in _SHADOW_SIZES if sigma >= least), 1)
    small_size = -(-width // shrink), -(-height // shrink)
    small = part if shrink == 1 else cv2.resize(part, small_size, interpolation=cv2.INTER_AREA)
    if sigma > _LEAST_SIGMA:
        left = sigma if shrink == 1 else math.sqrt((sigma / shrink) ** 2 - 0.25)
        small = cv2.GaussianBlur(small, (0, 0), left, borderType=cv2.BORDER_CONSTANT)
    across, down = small_size[0] / width, small_size[1] / height
    back = np.array([[across, 0, (0.5 - shift[0]) * across - 0.5], [0, down, (0.5 - shift[1]) * down - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    soft = cv2.warpAffine(small, back, (width, height), flags=flags, borderMode=cv2.BORDER_CONSTANT)
    whole = np.zeros_like(drawn.coverage)
    whole[y0:y1, x0:x1] = cv2.convertScaleAbs(soft, alpha=shadow.opacity)
    _lay(picture, _Drawn(whole, box, []), _bgr(shadow.colour))


_LEAST_SIGMA = 0.3


def _outlined(drawn: _Drawn, width: float) -> _Drawn:
    """Return the coverage of the letters grown by a width in pixels, any part of one."""
    x0, y0, x1, y1 = box = _grown(drawn.box, math.ceil(width) + 2, drawn.coverage.shape)
    if x0 >= x1 or y0 >= y1:
        return drawn
    part = drawn.coverage[y0:y1, x0:x1]
    size = part.shape[1] * _FIELD_TIMES, part.shape[0] * _FIELD_TIMES
    large = np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    outside = np.asarray(large < 128, np.uint8)
    away = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_5) / _FIELD_TIMES
    grown = (np.clip(width + 0.5 - away, 0, 1) * 255).astype(np.uint8)
    ring = np.asarray(cv2.resize(grown, part.shape[::-1], interpolation=cv2.INTER_AREA), np.uint8)
    whole = np.zeros_like(drawn.coverage)
    # Letters that are faint while they come have an outline as faint as they are.
    strongest = int(part.max()) if part.size else 255
    whole[y0:y1, x0:x1] = np.asarray(cv2.convertScaleAbs(ring, alpha=strongest / 255), np.uint8)
    return _Drawn(whole, box, [])


def _lay_plate(picture: Picture, fill: TextFill, block: Block, place: FloatArray, seen: float) -> None:
    """Lay a plate behind the block at rest, as much of it as is seen of the letters."""
    edge = fill.plate_edge
    half = block.width / 2 + edge, block.height / 2 - _PLATE_INSET + edge
    corners = np.array(
        [(-half[0], -half[1], 1), (half[0], -half[1], 1), (half[0], half[1], 1), (-half[0], half[1], 1)]
    )
    points = np.rint((corners @ place.T - 0.5) * 16).astype(np.int32)
    coverage = np.zeros(picture.shape[:2], np.uint8)
    cv2.fillConvexPoly(coverage, points.reshape(-1, 1, 2), 255 * min(max(seen, 0.0), 1.0), cv2.LINE_AA, 4)
    whole = (0, 0, picture.shape[1], picture.shape[0])
    _lay(picture, _Drawn(coverage, whole, []), _bgr(fill.plate or "#000000"))


_PLATE_INSET = 0.15
"""A capital is shorter than the size of its letters by twice as much."""


def _lay_sprite(picture: Picture, sprite: Sprite) -> None:
    """Lay a premultiplied sprite over a premultiplied picture, in place."""
    height, width = picture.shape[:2]
    x0, y0 = max(0, sprite.left), max(0, sprite.top)
    x1 = min(width, sprite.left + sprite.pixels.shape[1])
    y1 = min(height, sprite.top + sprite.pixels.shape[0])
    if x0 < x1 and y0 < y1:
        part = sprite.pixels[y0 - sprite.top : y1 - sprite.top, x0 - sprite.left : x1 - sprite.left]
        part = np.ascontiguousarray(part)
        _over(picture[y0:y1, x0:x1], part, part[..., 3])


def _over(view: Picture, laid: Picture, cover: Plane) -> None:
    """Put premultiplied pixels over others, in place."""
    uncovered = cv2.bitwise_not(cv2.merge([np.ascontiguousarray(cover)] * 4))
    view[:] = cv2.add(cv2.multiply(np.ascontiguousarray(view), uncovered, scale=1 / 255), laid)


def _bgr(colour: str) -> tuple[int, int, int]:
    return int(colour[5:7], 16), int(colour[3:5], 16), int(colour[1:3], 16)
