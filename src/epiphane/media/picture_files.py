"""Single pictures as the bytes of a file: PNG, TIFF, JPEG, OpenEXR."""

from fractions import Fraction

import av
import cv2
import numpy as np

from epiphane.media.pixel_layouts import PixelLayout, frame_of
from epiphane.media.writer import missing_encoder
from epiphane.types import Pixels

_FLOATS = PixelLayout("gbrpf32le", 32, is_rgb=True)
_FLOATS_WITH_ALPHA = PixelLayout("gbrapf32le", 32, is_rgb=True, has_alpha=True)


def encoded_png(picture: Pixels) -> bytes:
    """Return a picture as PNG.

    Parameters
    ----------
    picture : uint8 or uint16, shape (height, width, 3) or (height, width, 4), BGR or straight BGRA
    """
    return _encoded(".png", picture)


def encoded_tiff(picture: Pixels) -> bytes:
    """Return a picture, as of `encoded_png`, as TIFF, packed by LZW."""
    return _encoded(".tiff", picture)


def encoded_jpeg(picture: Pixels, quality: float = 90) -> bytes:
    """Return a picture, uint8, BGR, as JPEG; `quality` is 1 to 100."""
    return _encoded(".jpg", picture, cv2.IMWRITE_JPEG_QUALITY, round(quality))


def encoded_exr(picture: Pixels) -> bytes:
    """Return linear light as OpenEXR, in half floats, packed by ZIP of 16 lines.

    Parameters
    ----------
    picture : float32, shape (height, width, 3) or (height, width, 4)
        BGR, or BGRA; with alpha it is premultiplied, as the format has it.
    """
    height, width = picture.shape[:2]
    layout = _FLOATS_WITH_ALPHA if picture.shape[2] == 4 else _FLOATS
    blue, green, red, *alpha = cv2.split(np.ascontiguousarray(picture, np.float32))
    try:
        encoder = av.CodecContext.create("exr", "w")
    except (av.FFmpegError, ValueError):
        raise missing_encoder("exr") from None
    encoder.width, encoder.height, encoder.pix_fmt = width, height, layout.name
    encoder.time_base = Fraction(1, 25)  # of no meaning here, and asked for
    encoder.options = {"compression": "zip16", "format": "half"}
    frame = frame_of([green, blue, red, *alpha], layout, (width, height))
    packets = [*encoder.encode(frame), *encoder.encode(None)]
    return b"".join(bytes(packet) for packet in packets)


def _encoded(suffix: str, picture: Pixels, *flags: int) -> bytes:
    _, data = cv2.imencode(suffix, np.ascontiguousarray(picture), list(flags))
    return data.tobytes()
