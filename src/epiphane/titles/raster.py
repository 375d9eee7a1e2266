"""Letters as pixels: outlines are drawn anew under the matrix of each, so that nothing is resampled."""

from __future__ import annotations

import threading

import cv2
import numpy as np
import uharfbuzz as hb

from epiphane.titles.layout import Glyph, Letter
from epiphane.titles.sprites import Sprite, blurred, faded
from epiphane.types import FloatArray, Size

_SHARPEST = 0.3
"""Blurs of less, in pixels, are left away."""
_SHRINKING = ((5.0, 4), (1.8, 2))
"""Letters that are blurred by so many pixels are drawn so many times smaller."""
_FARTHEST = 30_000.0
"""Pixels from the frame beyond which nothing is drawn."""
_local = threading.local()


class GlyphInk:
    """Draws letters by the outlines of their glyphs."""

    def coverage(
        self, letter: Letter, place: FloatArray, size: Size, *, blur: float = 0.0, opacity: float = 1.0
    ) -> Sprite | None:
        """Return the coverage of a letter under a flat matrix, shape (3, 3), or None where none is seen."""
        return letter_sprite(letter, place[:2], blur, opacity)

    def coloured(self, letter: Letter, place: FloatArray, size: Size, opacity: float) -> list[Sprite]:
        """Return the glyphs of a letter that have colours of their own, as premultiplied BGRA."""
        return coloured_sprites(letter, place[:2], opacity)

    def is_within(self, letter: Letter, place: FloatArray, size: Size) -> bool:
        """Whether something of a letter may lie in a frame: what is far outside of it is not drawn."""
        x, y = (place[:2] @ (letter.x, letter.y, 1.0)).tolist()
        reach = 4 * float(np.abs(place[:2, :2]).max())
        return bool(-reach < x < size[0] + reach and -reach < y < size[1] + reach)


def letter_sprite(letter: Letter, place: FloatArray, blur: float, opacity: float) -> Sprite | None:
    """Return the coverage of a letter, or None where nothing of it is seen.

    Parameters
    ----------
    place : float64, shape (2, 3)
        From sizes of letters to pixels of the frame, y downwards.
    blur : float, pixels
        The sigma of a Gaussian.
    """
    shrink = next((times for least, times in _SHRINKING if blur >= least), 1)
    drawn = _drawn(letter, place / shrink)
    if drawn is None:
        return None
    sprite = Sprite(np.ascontiguousarray(drawn.pixels), drawn.left, drawn.top)
    if blur > _SHARPEST:
        sprite = blurred(sprite, blur if shrink == 1 else float(np.sqrt((blur / shrink) ** 2 - 0.25)))
    sprite = faded(sprite, opacity)
    if shrink == 1:
        return sprite
    size = sprite.pixels.shape[1] * shrink, sprite.pixels.shape[0] * shrink
    pixels = np.asarray(cv2.resize(sprite.pixels, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    return Sprite(pixels, sprite.left * shrink, sprite.top * shrink)


def coloured_sprites(letter: Letter, place: FloatArray, opacity: float) -> list[Sprite]:
    """Return the glyphs of a letter that have colours of their own, as premultiplied BGRA."""
    found = []
    for glyph in letter.glyphs:
        if glyph.face.has_colours:
            sprite = _painted(glyph, place)
            if sprite is not None:
                pixels = np.ascontiguousarray(sprite.pixels)
                found.append(faded(Sprite(pixels, sprite.left, sprite.top), opacity))
    return found


def glyph_transform(glyph: Glyph, place: FloatArray) -> tuple[float, ...] | None:
    """Return the matrix from a glyph's units to pixels, y upwards, as HarfBuzz takes it; None far away."""
    unit = 1 / glyph.face.upem
    (a, b, _), (c, d, _) = place.tolist()
    x, y = (place @ (glyph.x, glyph.y, 1.0)).tolist()
    if not (abs(x) < _FARTHEST and abs(y) < _FARTHEST and abs(np.linalg.det(place[:, :2])) > 1e-6):
        return None
    return a * unit, -c * unit, -b * unit, d * unit, x, -y


def _drawn(letter: Letter, place: FloatArray) -> Sprite | None:
    draw: hb.RasterDraw = getattr(_local, "draw", None) or hb.RasterDraw()
    _local.draw = draw
    draw.reset()
    is_anything = False
    for glyph in letter.glyphs:
        transform = None if glyph.face.has_colours else glyph_transform(glyph, place)
        if transform is not None:
            draw.transform = transform
            is_anything |= bool(draw.draw_glyph_or_fail(glyph.face.font, glyph.number))
    return _sprite_of(draw.render(), 1) if is_anything else None


def _painted(glyph: Glyph, place: FloatArray) -> Sprite | None:
    extents, transform = glyph.face.font.get_glyph_extents(glyph.number), glyph_transform(glyph, place)
    if extents is None or transform is None:
        return None
    paint = hb.RasterPaint()
    paint.transform = transform
    paint.set_glyph_extents(extents)
    if not paint.paint_glyph_or_fail(glyph.face.font, glyph.number):
        return None
    return _sprite_of(paint.render(), 4)


def _sprite_of(image: hb.RasterImage | None, n_channels: int) -> Sprite | None:
    """Return what HarfBuzz drew, whose rows come from the bottom up."""
    if image is None or not image.extents.width or not image.extents.height:
        return None
    extents = image.extents
    rows = np.frombuffer(image.buffer, np.uint8).reshape(extents.height, extents.stride)[::-1]
    pixels = rows[:, : extents.width * n_channels]
    if n_channels > 1:
        pixels = pixels.reshape(extents.height, extents.width, n_channels)
    return Sprite(pixels.copy(), extents.x_origin, -(extents.y_origin + extents.height))
