"""How encoders want pictures: which planes, of which depth, and those planes of a drawn picture."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv
from epiphane.media.raw import plane_rows
from epiphane.types import Float32Array, Pixels, Size

_BITS_OF_A_BYTE = 8
# Thresholds of ordered dithering (B. E. Bayer, 1973), of whole steps, by row and column.
_BAYER = np.array([[0, 2], [3, 1]])


class PixelLayout(Struct, frozen=True):
    """A pixel format of FFmpeg's: its `name`, bits a value, and how many pixels share a value of colour.

    What is no Y'CbCr has its colours in full range. Alpha is straight, as files have it.
    """

    name: str
    depth: int = 8
    across: int = 1
    down: int = 1
    has_alpha: bool = False
    is_rgb: bool = False
    is_packed: bool = False


YUV420 = PixelLayout("yuv420p", 8, 2, 2)
YUV420_10 = PixelLayout("yuv420p10le", 10, 2, 2)
YUVA420 = PixelLayout("yuva420p", 8, 2, 2, has_alpha=True)
YUV422 = PixelLayout("yuv422p", 8, 2, 1)
YUV422_10 = PixelLayout("yuv422p10le", 10, 2, 1)
YUVA444_10 = PixelLayout("yuva444p10le", 10, has_alpha=True)
BGR0 = PixelLayout("bgr0", is_rgb=True, is_packed=True)
BGRA = PixelLayout("bgra", has_alpha=True, is_rgb=True, is_packed=True)
GBRP_10 = PixelLayout("gbrp10le", 10, is_rgb=True)


def planes_in(layout: PixelLayout, levels: Pixels) -> list[Pixels]:
    """Return the planes of a picture in a layout, dithered where they are not exact.

    Parameters
    ----------
    levels : uint8 or float32, shape (height, width, 3) or (height, width, 4), 0 to 255
        BGR, or straight BGRA; of whole levels where `layout` is packed.

    Returns
    -------
    uint8 or uint16, one for each plane of the layout; a packed one has shape (height, width, 4)
    """
    if layout.is_packed:
        alpha = levels[..., 3:] if layout.has_alpha else np.full_like(levels[..., :1], 255)
        return [np.ascontiguousarray(np.concatenate([levels[..., :3], alpha], axis=2))]
    height, width = levels.shape[:2]
    colours = np.ascontiguousarray(levels[..., :3], np.float32)
    if layout.is_rgb:
        blue, green, red = (channel * np.float32(_most(layout) / 255) for channel in cv2.split(colours))
        parts: list[Float32Array] = [green, blue, red]
    else:
        steps = 2.0 ** (layout.depth - 8)
        encoded = np.asarray(cv2.transform(colours, bgr_to_yuv(OUTPUT_SPEC) * steps), np.float32)
        luma, *chroma = (np.ascontiguousarray(encoded[..., number]) for number in range(3))
        small = width // layout.across, height // layout.down
        parts = [luma, *(_averaged(plane, small) for plane in chroma)]
    if layout.has_alpha:
        alpha = levels[..., 3] if levels.shape[2] == 4 else np.full((height, width), 255, np.float32)
        parts.append(np.asarray(alpha, np.float32) * np.float32(_most(layout) / 255))
    return [_whole(part, layout) for part in parts]


def planes_from_420(layout: PixelLayout, planes: Sequence[Pixels]) -> list[Pixels]:
    """Return the planes of a layout of Y'CbCr without alpha from those of 4:2:0 of 8 bits, no level changed.

    Parameters
    ----------
    planes : Y, Cb and Cr, uint8, in `OUTPUT_SPEC`
        Chroma stands between rows, as in MPEG-2.
    """
    luma, *chroma = planes
    size = luma.shape[1] // layout.across, luma.shape[0] // layout.down
    wide = [
        plane
        if plane.shape == (size[1], size[0])
        else cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR)
        for plane in chroma
    ]
    if layout.depth <= _BITS_OF_A_BYTE:
        return [luma, *(np.asarray(plane, np.uint8) for plane in wide)]
    return [np.asarray(plane, np.uint16) << (layout.depth - _BITS_OF_A_BYTE) for plane in (luma, *wide)]


def frame_of(planes: Sequence[Pixels], layout: PixelLayout, size: Size) -> av.VideoFrame:
    """Return a frame for an encoder with the planes of a picture, as `planes_in` gives them.

    Parameters
    ----------
    size : (width, height) in pixels
    """
    frame = av.VideoFrame(*size, layout.name)
    for target, plane in zip(frame.planes, planes, strict=True):
        rows = np.ascontiguousarray(plane).reshape(plane.shape[0], -1).view(np.uint8)
        plane_rows(target)[: rows.shape[0], : rows.shape[1]] = rows
    return frame


def _averaged(plane: Float32Array, size: Size) -> Float32Array:
    if plane.shape == (size[1], size[0]):
        return plane
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.float32)


def _most(layout: PixelLayout) -> int:
    return int(2**layout.depth - 1)


def _whole(values: Float32Array, layout: PixelLayout) -> Pixels:
    """Return values as whole numbers: each is rounded up or down as often as it is near to either."""
    rounded = np.clip(np.floor(values + _thresholds(values.shape)), 0, _most(layout))
    return np.asarray(rounded, np.uint8 if layout.depth <= _BITS_OF_A_BYTE else np.uint16)


@lru_cache(maxsize=8)
def _thresholds(shape: tuple[int, int]) -> Float32Array:
    """Return an ordered dither, float32 of a shape, between 0 and 1; whole numbers stay what they are."""
    matrix = np.zeros((1, 1), int)
    for _ in range(3):
        matrix = np.block([[4 * matrix + _BAYER[0, 0], 4 * matrix + _BAYER[0, 1]],
                           [4 * matrix + _BAYER[1, 0], 4 * matrix + _BAYER[1, 1]]])  # fmt: skip
    rows, columns = (-(-side // len(matrix)) for side in shape)
    tiled = np.tile((matrix + 0.5) / matrix.size, (rows, columns))[: shape[0], : shape[1]]
    return np.asarray(tiled, np.float32)
