"""Laying pictures over one another: blend modes and alpha, in 8 bits.

The formulas are those of W3C Compositing and Blending Level 1, of which "add" is plus-lighter. Pictures with
alpha are premultiplied: their colours are never greater than their alpha.
"""

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np

from epiphane.document.timeline import BlendMode
from epiphane.effects.pixels import level_of, light_of
from epiphane.effects.shining import rolled_off
from epiphane.types import Float32Array, FloatArray, Picture, Pixels, Plane

# Modes for which every pair of levels is looked up, at any opacity; the others are a few whole-picture
# operations. Screen could be four of them, which take longer.
_BY_TABLE = frozenset(
    {
        BlendMode.SCREEN,
        BlendMode.OVERLAY,
        BlendMode.SOFT_LIGHT,
        BlendMode.HARD_LIGHT,
        BlendMode.DODGE,
        BlendMode.BURN,
        BlendMode.ADD_LIGHT,
    }
)


_MOST_OF_A_FRAME = 0.8


def laid_over(below: Picture, layer: Picture, mode: BlendMode, *, opacity: float = 1.0) -> Picture:
    """Return an opaque picture with a layer over it.

    Parameters
    ----------
    below : BGR
    layer : BGR, or premultiplied BGRA, of the same size
    opacity : float, 0 to 1
    """
    if layer.shape[2] == 3:
        if mode is BlendMode.ADD:
            return np.asarray(cv2.addWeighted(below, 1, layer, opacity, 0), np.uint8)
        if mode in _BY_TABLE:
            return _looked_up(below, layer, mode, opacity)
        blended = _WHOLE[mode](below, layer)
        return blended if opacity == 1 else _mean(below, blended, opacity)
    x, y, width, height = cv2.boundingRect(cv2.extractChannel(layer, 3))
    if width * height < _MOST_OF_A_FRAME * layer.shape[0] * layer.shape[1]:
        # Where there is no alpha nothing changes, so only the box of what is there is worked on.
        made = below.copy()
        if width and height:
            part = (slice(y, y + height), slice(x, x + width))
            under, over = np.ascontiguousarray(below[part]), np.ascontiguousarray(layer[part])
            made[part] = _alpha_over(under, over, mode, opacity)
        return made
    return _alpha_over(below, layer, mode, opacity)


def _alpha_over(below: Picture, layer: Picture, mode: BlendMode, opacity: float) -> Picture:
    """Return an opaque picture with premultiplied BGRA of the same size over it."""
    if opacity < 1:
        layer = np.asarray(cv2.convertScaleAbs(layer, alpha=opacity), np.uint8)
    colours = without_alpha(layer)
    alpha = np.asarray(cv2.merge([cv2.extractChannel(layer, 3)] * 3), np.uint8)
    if mode in (BlendMode.ADD, BlendMode.SCREEN):
        return _opaque_over(below, colours, mode)
    uncovered = _inverted(alpha)
    if mode is BlendMode.MULTIPLY:
        return _times(below, _plus(uncovered, colours))
    if mode in _BY_TABLE or mode is BlendMode.DIFFERENCE:
        colours = _times(_opaque_over(below, straight(layer), mode), alpha)
    over = _plus(_times(below, uncovered), colours)
    return _opaque_over(below, over, mode) if mode in (BlendMode.LIGHTEN, BlendMode.DARKEN) else over


def _opaque_over(below: Picture, layer: Picture, mode: BlendMode) -> Picture:
    if mode in _BY_TABLE:
        return _looked_up(below, layer, mode, 1.0)
    return _WHOLE[mode](below, layer)


def _looked_up(below: Picture, layer: Picture, mode: BlendMode, opacity: float) -> Picture:
    """Return what a table says of each pair of levels: two bytes are one 16-bit index."""
    height, width, n_channels = below.shape
    flat = (one.reshape(height, width * n_channels) for one in (below, layer))
    pairs = cv2.merge(list(flat)).view("<u2")[..., 0]
    return np.asarray(cv2.LUT(pairs, _table(mode, opacity)), np.uint8).reshape(below.shape)


@lru_cache(32)
def _table(mode: BlendMode, opacity: float) -> Picture:
    """Return what each pair becomes, at the index below + 256 layer: uint8, shape (1, 65536)."""
    below = np.arange(256, dtype=np.float32)[None]
    return np.rint(below + opacity * (_blended_levels(mode) - below)).astype(np.uint8).reshape(1, -1)


@lru_cache(len(_BY_TABLE))
def _blended_levels(mode: BlendMode) -> Float32Array:
    """Return what each level below, across, becomes under each of an opaque layer, down: not yet rounded."""
    levels = np.arange(256) / 255
    return (255 * blend_formula(mode, levels[None], levels[:, None])).astype(np.float32)


def _light_added(below: FloatArray, layer: FloatArray) -> FloatArray:
    return np.maximum(below, level_of(rolled_off(light_of(below) + light_of(layer))))


def blend_formula(mode: BlendMode, below: FloatArray, layer: FloatArray) -> FloatArray:
    """Return what colours become under an opaque layer: B(Cb, Cs) of the W3C's Compositing and Blending.

    Of light that is added ``level(roll(light(Cb) + light(Cs)))``, nothing becoming darker.

    Parameters
    ----------
    mode : BlendMode
    below, layer : float64, shapes that broadcast, 0 to 1, straight colours

    Returns
    -------
    float64, 0 to 1
    """
    match mode:
        case BlendMode.NORMAL:
            blended = layer
        case BlendMode.ADD | BlendMode.ADD_LIGHT:
            blended = np.minimum(1, below + layer) if mode is BlendMode.ADD else _light_added(below, layer)
        case BlendMode.SCREEN:
            blended = below + layer - below * layer
        case BlendMode.MULTIPLY:
            blended = below * layer
        case BlendMode.OVERLAY:
            blended = blend_formula(BlendMode.HARD_LIGHT, layer, below)
        case BlendMode.HARD_LIGHT:
            blended = np.where(layer <= 0.5, 2 * below * layer, 1 - 2 * (1 - below) * (1 - layer))
        case BlendMode.SOFT_LIGHT:
            dark = ((16 * below - 12) * below + 4) * below
            bent = np.where(below <= 0.25, dark, np.sqrt(below))
            lower = below - (1 - 2 * layer) * below * (1 - below)
            blended = np.where(layer <= 0.5, lower, below + (2 * layer - 1) * (bent - below))
        case BlendMode.LIGHTEN:
            blended = np.maximum(below, layer)
        case BlendMode.DARKEN:
            blended = np.minimum(below, layer)
        case BlendMode.DIFFERENCE:
            blended = np.abs(below - layer)
        case BlendMode.DODGE:
            quotient = np.minimum(1, below / np.maximum(1 - layer, 1e-9))
            blended = np.where(below == 0, 0.0, np.where(layer >= 1, 1.0, quotient))
        case BlendMode.BURN:
            quotient = 1 - np.minimum(1, (1 - below) / np.maximum(layer, 1e-9))
            blended = np.where(below >= 1, 1.0, np.where(layer <= 0, 0.0, quotient))
    return np.asarray(blended, np.float64)


def toned_under_alpha(pixels: Pixels, matrix: FloatArray) -> Pixels:
    """Return premultiplied pixels whose straight colours a matrix, shape (3, 4), has changed.

    What it adds is weighed by alpha, and what it clips at white is clipped at alpha.

    Parameters
    ----------
    pixels : uint8 or float32, shape (height, width, 4), premultiplied BGRA, 0 to 255
    matrix : float64, shape (3, 4)
        Gains and, in levels of 0 to 255, offsets for BGR.
    """
    whole = np.eye(4)
    whole[:3, :3], whole[:3, 3] = matrix[:, :3], matrix[:, 3] / 255
    *colours, alpha = cv2.split(cv2.transform(pixels, whole))
    return np.asarray(cv2.merge([*(np.clip(plane, 0, alpha) for plane in colours), alpha]))


def without_alpha(picture: Picture) -> Picture:
    """Return the colours of a premultiplied picture over black, BGR.

    Parameters
    ----------
    picture : uint8, shape (height, width, 4), premultiplied BGRA

    Returns
    -------
    uint8, shape (height, width, 3), BGR
    """
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGRA2BGR), np.uint8)


def straight(picture: Picture) -> Picture:
    """Return the colours of a premultiplied picture, BGR, as they are without alpha; black where it is 0.

    Parameters
    ----------
    picture : uint8, shape (height, width, 4), premultiplied BGRA

    Returns
    -------
    uint8, shape (height, width, 3)
    """
    alpha = cv2.merge([cv2.extractChannel(picture, 3)] * 3)
    return np.asarray(cv2.divide(without_alpha(picture), alpha, scale=255), np.uint8)


def under_alpha(colours: Picture, alpha: Plane) -> Picture:
    """Return premultiplied BGRA from straight colours and alpha.

    Parameters
    ----------
    colours : uint8, shape (height, width, 3), BGR
    alpha : uint8, shape (height, width)
    """
    return np.asarray(cv2.merge([_times(colours, cv2.merge([alpha] * 3)), alpha]), np.uint8)


def _times(first: Pixels, then: Pixels) -> Picture:
    return np.asarray(cv2.multiply(first, then, scale=1 / 255), np.uint8)


def _mean(below: Picture, layer: Picture, opacity: float) -> Picture:
    return np.asarray(cv2.addWeighted(below, 1 - opacity, layer, opacity, 0), np.uint8)


def _plus(first: Pixels, then: Pixels) -> Picture:
    return np.asarray(cv2.add(first, then), np.uint8)


def _inverted(picture: Pixels) -> Picture:
    return np.asarray(cv2.bitwise_not(picture), np.uint8)


_WHOLE: dict[BlendMode, Callable[[Picture, Picture], Picture]] = {
    BlendMode.NORMAL: lambda below, layer: layer,
    BlendMode.ADD: _plus,
    BlendMode.MULTIPLY: _times,
    BlendMode.LIGHTEN: lambda below, layer: np.asarray(cv2.max(below, layer), np.uint8),
    BlendMode.DARKEN: lambda below, layer: np.asarray(cv2.min(below, layer), np.uint8),
    BlendMode.DIFFERENCE: lambda below, layer: np.asarray(cv2.absdiff(below, layer), np.uint8),
}
