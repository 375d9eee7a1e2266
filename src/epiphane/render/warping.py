"""Geometric warps: homographies, motion blur along them, displacement fields, channel shifts."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from epiphane.effects.operations import ChannelShift, Field
from epiphane.effects.pixels import moved, spread_light
from epiphane.render.fuse import Pass, begun_of, farthest, power_of
from epiphane.types import Float32Array, FloatArray, Pixels, Size

# A field is asked at so many points across or more, no nearer than so many pixels; it is straight between.
_FIELD_POINTS = 120
_FIELD_STEP = 8
_MOST_DOUBLINGS = 4
# In pixels: from which way on a smear is done at half the size, and from which to which its places are.
_HALVED_FROM, _SHORT_WAY, _LONG_WAY, _LEAST_SIZE = 8.0, 0.75, 2.5, 64
_STILL = 1e-9


def with_pass_applied(picture: Pixels, done: Pass) -> Pixels:
    """Return a picture, or a plane of one, whose points a pass has moved; its tones are still to be done."""
    if done.smear is not None:
        return smeared(picture, done.warp, done.smear)
    return picture if done.warp is None else _warped(picture, done.warp)


def with_channels_shifted(picture: Pixels, shift: ChannelShift) -> Pixels:
    """Return a picture whose blue, green and red are moved; alpha reaches as far as any of them."""
    steps, border = shift.shifts * picture.shape[1], border_of(picture)

    def shifted(channels: Sequence[Pixels]) -> list[Pixels]:
        return [
            moved(channel, step, border=border) if step.any() else channel
            for channel, step in zip(channels, steps, strict=True)
        ]

    channels = shifted(cv2.split(picture)[:3])
    if picture.shape[2] == 4:
        channels.append(np.max(shifted([np.ascontiguousarray(picture[..., 3])] * 3), axis=0))
    return np.asarray(cv2.merge(channels))


def displaced(picture: Pixels, field: Field) -> Pixels:
    """Show at every point what lies where a field says; it is smooth, so few points of it are asked."""
    height, width = picture.shape[:2]
    half_height = height / width
    step = min(_FIELD_STEP, max(1, width // _FIELD_POINTS))
    # Points in the middle of cells of pixels, a cell more on every side: between them all is straight.
    across, down = (
        ((np.arange(-1, -(-n // step) + 1) + 0.5) * step - n / 2) * 2 / width for n in (width, height)
    )
    points = np.meshgrid(across.astype(np.float32), down.astype(np.float32))
    x, y = field.source(points[0], points[1], half_height)
    maps = [
        _every_pixel((part + edge) * (width / 2) - 0.5, (width, height), step)
        for part, edge in ((x, 1), (y, half_height))
    ]
    return np.asarray(cv2.remap(picture, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=border_of(picture)))


def border_of(pixels: Pixels) -> int:
    """Return what lies beyond the edge of a picture: itself, mirrored; nothing, where it has alpha."""
    return cv2.BORDER_CONSTANT if pixels.ndim == 3 and pixels.shape[2] == 4 else cv2.BORDER_REFLECT


def _every_pixel(cells: Float32Array, size: Size, step: int) -> Float32Array:
    """Return values for all pixels from those in the middle of cells, of which one lies beyond every edge."""
    rows, columns = cells.shape
    whole = (columns * step, rows * step)
    fine = cv2.resize(np.ascontiguousarray(cells, np.float32), whole, interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(fine[step : step + size[1], step : step + size[0]], np.float32)


def smeared(picture: Pixels, warp: FloatArray | None, smear: FloatArray, *, in_light: bool = False) -> Pixels:
    """Return a picture, or a plane, warped, and blurred along the way of its points while a shutter is open.

    A long way is blurred at half the size, where points go so far that nobody sees it.

    Parameters
    ----------
    picture : uint8 or float32, shape (height, width) or (height, width, n_channels); uint8 `in_light`
    warp : float64, shape (3, 3), in shares of the picture, or None
    smear : float64, shape (3, 3), a movement as of a warp
    in_light : bool
        Blur linear light, not levels.
    """
    height, width = picture.shape[:2]
    begun = begun_of(warp, smear)
    if farthest(smear, (width, height)) < _HALVED_FROM or min(height, width) < _LEAST_SIZE:
        return _blurred_along(_warped(picture, begun), smear, in_light=in_light)
    half = -(-width // 2), -(-height // 2)
    small = np.asarray(cv2.resize(picture, half, interpolation=cv2.INTER_AREA))
    soft = _blurred_along(_warped(small, begun), smear, in_light=in_light)
    whole = np.asarray(cv2.resize(soft, (width, height), interpolation=cv2.INTER_LINEAR))
    share = _share_of_long_ways(smear, (width, height))
    rows, columns = (np.flatnonzero((share < 1).any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return whole
    # Where points hardly move the picture itself is seen: often in the middle alone.
    top, left = max(0, rows[0] - 1) * _FIELD_STEP, max(0, columns[0] - 1) * _FIELD_STEP
    end, right = min(height, (rows[-1] + 2) * _FIELD_STEP), min(width, (columns[-1] + 2) * _FIELD_STEP)
    part = slice(top, end), slice(left, right)
    sharp = _warped(picture, begun, Box(left, top, right - left, end - top))
    large = cv2.resize(share, (width, height), interpolation=cv2.INTER_LINEAR)
    weight = np.ascontiguousarray(large[part])
    whole[part] = cv2.blendLinear(np.ascontiguousarray(whole[part]), sharp, weight, 1 - weight)
    return whole


def _share_of_long_ways(smear: FloatArray, size: Size) -> Float32Array:
    """Return where points go so far that half the size is enough, float32, 0 to 1, at few places."""
    width, height = size
    columns, rows = max(2, width // _FIELD_STEP), max(2, height // _FIELD_STEP)
    x = ((np.arange(columns) + 0.5) / columns)[None]
    y = ((np.arange(rows) + 0.5) / rows)[:, None]
    right, down, depth = (row[0] * x + (row[1] * y + row[2]) for row in smear)
    ways = np.hypot((right / depth - x) * width, (down / depth - y) * height)
    share = (ways - _SHORT_WAY) / (_LONG_WAY - _SHORT_WAY)
    return np.asarray(np.clip(share, 0, 1), np.float32)


def _blurred_along(picture: Pixels, smear: FloatArray, *, in_light: bool) -> Pixels:
    """Return the blur at the size of the picture, by doubling.

    Each step halves what is there with itself moved on, so that four steps are sixteen samples, two pixels
    apart where the way is short enough.
    """
    if in_light:
        whole = np.asarray(picture, np.uint8)
        return spread_light(whole, lambda light: _blurred_along(light, smear, in_light=False))
    height, width = picture.shape[:2]
    n_doublings = int(np.ceil(np.log2(farthest(smear, (width, height)) / 2 + 1)))
    n_doublings = min(max(n_doublings, 1), _MOST_DOUBLINGS)
    n_steps = 2**n_doublings - 1
    done = picture
    for number in range(n_doublings):
        further = _further(done, power_of(smear, 2**number / n_steps))
        done = np.asarray(cv2.addWeighted(done, 0.5, further, 0.5, 0))
    return done


def _further(picture: Pixels, movement: FloatArray) -> Pixels:
    """Return a picture moved on: along its axes where nothing turns or grows, which is quicker."""
    straight = np.vstack([movement[:2, :2] - np.eye(2), movement[2, :2]])
    if np.abs(straight).max() < _STILL:
        height, width = picture.shape[:2]
        return moved(picture, movement[:2, 2] * (width, height), border=border_of(picture))
    return _warped(picture, movement)


class Box(NamedTuple):
    """A part of a picture, in pixels."""

    left: int
    top: int
    width: int
    height: int


def _warped(picture: Pixels, warp: FloatArray, part: Box | None = None) -> Pixels:
    """Return a picture whose points are moved, or a part of that; `warp` is in shares of the picture."""
    height, width = picture.shape[:2]
    to_share = to_shares((width, height))
    back = np.linalg.inv(to_share) @ np.linalg.inv(warp) @ to_share
    size = width, height
    if part is not None:
        back, size = back @ np.array([[1, 0, part.left], [0, 1, part.top], [0, 0, 1]]), part[2:]
    last = size[0] - 1, size[1] - 1
    corners = back @ np.array([[0, last[0], 0, last[0]], [0, 0, last[1], last[1]], [1] * 4])
    corners = corners[:2] / corners[2]
    is_covered = corners.min() >= 0 and (corners.max(axis=1) <= (width - 1, height - 1)).all()
    picture, flags = np.ascontiguousarray(picture), cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    # Nothing beyond the edge is seen of a covered picture, and not mirroring is a third quicker.
    border = cv2.BORDER_REPLICATE if is_covered else border_of(picture)
    if np.abs(back[2] - (0, 0, 1)).max() < 1e-12:
        return np.asarray(cv2.warpAffine(picture, back[:2], size, flags=flags, borderMode=border))
    return np.asarray(cv2.warpPerspective(picture, back, size, flags=flags, borderMode=border))


def to_shares(size: Size) -> FloatArray:
    """Return the matrix, float64, shape (3, 3), from the pixels of a picture to shares of it.

    [share] = ([pixel] + 1/2) / [pixels]: the middle of a pixel is where its value is.
    """
    width, height = size
    return np.array([[1 / width, 0, 0.5 / width], [0, 1 / height, 0.5 / height], [0, 0, 1]])
