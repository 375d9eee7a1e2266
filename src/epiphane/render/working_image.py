"""Pictures on their way through a frame: what is still to be done to their colours, rounding, size."""

from collections.abc import Sequence

import cv2
import numpy as np
from msgspec import Struct

from epiphane.effects.operations import Tone, ToneCurve
from epiphane.media.colour import chain
from epiphane.render.compose import straight, toned_under_alpha, under_alpha
from epiphane.render.fuse import stays_inside
from epiphane.types import FloatArray, Picture, Pixels, Size


class WorkingImage(Struct, frozen=True, eq=False):
    """A picture on its way: BGR, or premultiplied BGRA; uint8, or float32 at small sizes.

    `pending` is the matrix that is still to be done to its colours; while it `is_inside`, nothing of it
    would be clipped, so that what comes next may be joined to it.
    """

    pixels: Pixels
    pending: FloatArray | None = None
    is_inside: bool = True

    @property
    def has_alpha(self) -> bool:
        """Whether its pixels are premultiplied BGRA."""
        return bool(self.pixels.shape[2] == 4)

    def resolved(self) -> Pixels:
        """Return the pixels with nothing pending."""
        if self.pending is None:
            return self.pixels
        if self.has_alpha:
            return toned_under_alpha(self.pixels, self.pending)
        return np.asarray(cv2.transform(self.pixels, self.pending))


def toned(made: WorkingImage, tones: Sequence[Tone | ToneCurve]) -> WorkingImage:
    """Do tones one after the other, as few times as clipping in between allows."""
    for tone in tones:
        if isinstance(tone, ToneCurve):
            made = WorkingImage(_curved(rounded(made.resolved()), tone))
        elif made.is_inside:
            made = WorkingImage(made.pixels, _chained(made.pending, tone.matrix), stays_inside([tone]))
        else:
            made = WorkingImage(made.resolved(), tone.matrix, stays_inside([tone]))
    return made


def whole_levels(image: WorkingImage) -> Picture:
    """Return the pixels of an image that is at full size, with nothing pending."""
    pixels = image.resolved()
    assert pixels.dtype == np.uint8
    return np.asarray(pixels, np.uint8)


def filled(size: Size, colour: Sequence[int], kind: type = np.uint8) -> Pixels:
    """Return a picture that is of one colour, with as many channels as that has.

    Parameters
    ----------
    size : (width, height), in pixels
    colour : levels of the channels, 0 to 255

    Returns
    -------
    `kind`, shape (height, width, n_channels)
    """
    picture: Pixels = np.empty((size[1], size[0], len(colour)), kind)
    return np.asarray(cv2.rectangle(picture, (0, 0), size, [float(level) for level in colour], cv2.FILLED))


def rounded(pixels: Pixels) -> Picture:
    """Return pixels in 8 bits.

    Parameters
    ----------
    pixels : uint8 or float32, levels of 0 to 255; what lies beyond is clipped

    Returns
    -------
    uint8, the shape of `pixels`
    """
    if pixels.dtype == np.uint8:
        return np.asarray(pixels, np.uint8)
    return np.asarray(cv2.convertScaleAbs(np.maximum(pixels, 0)), np.uint8)


def resized(pixels: Pixels, size: Size, method: int) -> Pixels:
    """Return pixels at a size, by an interpolation of OpenCV's; the same array if they are of that size.

    Parameters
    ----------
    pixels : uint8 or float32, shape (height, width) or (height, width, n_channels)
    size : (width, height), in pixels
    method : int, e.g. ``cv2.INTER_AREA``
    """
    if pixels.shape[:2] == (size[1], size[0]):
        return pixels
    return np.asarray(cv2.resize(pixels, size, interpolation=method))


def _curved(picture: Picture, curve: ToneCurve) -> Picture:
    table = np.clip(np.rint(curve.table), 0, 255).astype(np.uint8)[None]
    if picture.shape[2] == 4:
        return under_alpha(np.asarray(cv2.LUT(straight(picture), table), np.uint8), picture[..., 3])
    return np.asarray(cv2.LUT(picture, table), np.uint8)


def _chained(first: FloatArray | None, then: FloatArray) -> FloatArray:
    return then if first is None else chain(first, then)
