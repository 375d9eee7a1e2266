"""Drawings and pictures with alpha as titles: one letter as high as a size, drawn from its pixels."""

import math

import cv2
import numpy as np
from msgspec import Struct

from epiphane.titles.layout import Block, Letter
from epiphane.titles.sprites import Sprite, between_pixels, blurred, faded, points_through, warped
from epiphane.types import FloatArray, Picture, Size

_MARGIN = 64
"""Pixels around the frame that are still drawn: shadows and what is smeared reach into it."""
_SHARPEST = 0.3


def logo_block(image: Picture) -> Block:
    """Return a picture as a block of one letter without glyphs, 1 high."""
    height, width = image.shape[:2]
    return Block((Letter((), 0, 0, 0, 0.0, 0.0, width / height),), width / height, 1.0)


class ImageInk(Struct, frozen=True, eq=False):
    """Draws the one letter of a logo by its picture, premultiplied BGRA.

    Where it is `coloured_as_drawn`, its own colours are seen.
    """

    image: Picture
    coloured_as_drawn: bool

    def coverage(
        self, letter: Letter, place: FloatArray, size: Size, *, blur: float = 0.0, opacity: float = 1.0
    ) -> Sprite | None:
        """Return the alpha of the picture under a flat matrix, shape (3, 3), or None where none is seen."""
        sprite = self._placed(np.ascontiguousarray(self.image[..., 3]), place, size)
        if sprite is not None and blur > _SHARPEST:
            sprite = blurred(sprite, blur)
        return None if sprite is None else faded(sprite, opacity)

    def coloured(self, letter: Letter, place: FloatArray, size: Size, opacity: float) -> list[Sprite]:
        """Return the picture in its own colours, as premultiplied BGRA."""
        sprite = self._placed(self.image, place, size) if self.coloured_as_drawn else None
        return [] if sprite is None else [faded(sprite, opacity)]

    def is_within(self, letter: Letter, place: FloatArray, size: Size) -> bool:
        """Whether something of the picture may lie in a frame."""
        return abs(float(np.linalg.det(place[:2, :2]))) > 1e-6

    def _placed(self, pixels: Picture, place: FloatArray, frame: Size) -> Sprite | None:
        """Return pixels as they lie, those in the frame and a little around it."""
        height, width = pixels.shape[:2]
        scale = math.sqrt(abs(float(np.linalg.det(place[:2, :2])))) / height
        shrink = max(1, min(round(0.75 / scale), height, width)) if scale < 0.5 else 1
        if shrink > 1:  # finer than pixels: averages of them
            small = max(1, width // shrink), max(1, height // shrink)
            pixels = np.asarray(cv2.resize(pixels, small, interpolation=cv2.INTER_AREA), np.uint8)
            height, width = pixels.shape[:2]
        own = self.image.shape[1] / self.image.shape[0]
        to_sizes = np.array([[own / width, 0, -own / 2], [0, 1 / height, -0.5], [0, 0, 1.0]])
        step = place @ to_sizes
        corners = np.array([(x, y, 1.0) for x in (0, width) for y in (0, height)])
        reached = points_through(step, corners)
        low = np.maximum(np.floor(reached.min(axis=0)) - 1, -_MARGIN)
        high = np.minimum(np.ceil(reached.max(axis=0)) + 1, np.array(frame) + _MARGIN)
        if (high <= low).any():
            return None
        size = int(high[0] - low[0]), int(high[1] - low[1])
        edged = cv2.copyMakeBorder(pixels, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)  # so that edges are soft
        matrix = between_pixels(step, (-1.0, -1.0), low.tolist())
        return Sprite(warped(np.asarray(edged, np.uint8), matrix, size), int(low[0]), int(low[1]))
