"""Shapes and gradients as pictures with alpha."""

import math

import numpy as np

from epiphane.document.timeline import ShapeKind, Transform
from epiphane.render.nodes import ShapeDrawing
from epiphane.types import Float32Array, Picture, Size


def shape_picture(drawing: ShapeDrawing, size: Size, frame: Size) -> Picture:
    """Return a shape as it lies in the frame.

    Parameters
    ----------
    drawing : ShapeDrawing
    size : (width, height) of the picture wanted, in pixels
    frame : (width, height)
        The frame's proportions.

    Returns
    -------
    uint8, shape (height, width, 4): premultiplied BGRA
    """
    x, y, unit = _own_points(drawing.transform, size, frame)
    if drawing.kind is ShapeKind.GRADIENT:
        return _gradient(drawing, x, frame)
    half_width = np.float32(drawing.width * frame[0] / 2)
    half_height = np.float32(drawing.height * frame[1] / 2)
    if drawing.kind is ShapeKind.RECTANGLE:
        inside = np.minimum(half_width - np.abs(x), half_height - np.abs(y))
    else:
        away = np.sqrt((x / half_width) ** 2 + (y / half_height) ** 2)
        inside = (1 - away) * min(half_width, half_height)
    # The edge of a hard shape is a pixel wide, about its line; a soft one lies within.
    feather = np.float32(drawing.feather * frame[1])
    alpha = inside / feather if feather > unit else inside / unit + np.float32(0.5)
    return _coloured(np.clip(alpha, 0, 1), np.array([drawing.colour], np.float32))


def _own_points(
    transform: Transform, size: Size, frame: Size
) -> tuple[Float32Array, Float32Array, np.float32]:
    """Return x and y of all pixels from the middle of the shape, unturned and unscaled, and a pixel's width.

    All are in the frame's pixels.
    """
    across = (((np.arange(size[0]) + 0.5) / size[0] - 0.5 - transform.x) * frame[0]).astype(np.float32)
    down = (((np.arange(size[1]) + 0.5) / size[1] - 0.5 - transform.y) * frame[1]).astype(np.float32)
    unit = np.float32(frame[0] / size[0] / transform.scale)
    x, y = across[None, :] / np.float32(transform.scale), down[:, None] / np.float32(transform.scale)
    if transform.rotation:
        turn = math.radians(-transform.rotation)
        cos, sin = np.float32(math.cos(turn)), np.float32(math.sin(turn))
        x, y = cos * x - sin * y, sin * x + cos * y
    return x, y, unit


def _gradient(drawing: ShapeDrawing, x: Float32Array, frame: Size) -> Picture:
    """Return a gradient along the width: to another colour, or to nothing."""
    share = np.clip(x / np.float32(drawing.width * frame[0]) + np.float32(0.5), 0, 1)
    if drawing.to is None:
        return _coloured(1 - share, np.array([drawing.colour], np.float32))
    first, last = np.array(drawing.colour, np.float32), np.array(drawing.to, np.float32)
    colours = first + share[..., None] * (last - first)
    return _coloured(np.ones_like(share), colours)


def _coloured(alpha: Float32Array, colours: Float32Array) -> Picture:
    pixels = np.empty((*alpha.shape, 4), np.float32)
    pixels[..., :3] = colours * alpha[..., None]
    pixels[..., 3] = 255 * alpha
    return np.asarray(pixels + np.float32(0.5), np.uint8)
