"""Stills: photographs, scans and drawings, upright, in 8 bits, with their alpha."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageOps

from epiphane.disk import open_regular, short_name, why_unreadable
from epiphane.errors import DiskError, MediaError
from epiphane.media.drawing import draw_as_png, read_drawing
from epiphane.media.raw import RawPicture, premultiplied
from epiphane.types import Picture, Size
from epiphane.wording import tr

# What a frame of 4K shows; more would only cost memory.
MOST_SIDE = 4096
_MOST_PIXELS = 400_000_000
_DRAWINGS = (".svg", ".svgz")
_SIGNATURES = (
    *(b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"II*\0", b"MM\0*", b"BM"),
    *(b"\0\0\0\x0cjP  ", b"\xff\x4f\xff\x51"),  # JPEG 2000, in its container and bare
    *(b"P1", b"P2", b"P3", b"P4", b"P5", b"P6"),  # portable maps
)
# Formats that tell themselves by their names alone.
_BY_NAME = (".tga",)

# What the library raises on damaged files, whichever part of it finds out.
_DAMAGE = (OSError, ValueError, SyntaxError, EOFError, struct.error, MemoryError)


class Still:
    """One still, read when it is first shown. May be used from several threads.

    Parameters
    ----------
    path : Path

    Attributes
    ----------
    remark : str
        What is to be said of it once it has been read, or nothing.

    Raises
    ------
    MediaError
        If the file is missing, damaged, too large, or no picture.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.display_size: Size = _size_of(path)
        self._picture: RawPicture | None = None
        self.remark = ""

    @property
    def n_bytes(self) -> int:
        """Memory that its picture holds."""
        return 0 if self._picture is None else self._picture.n_bytes

    def index_at(self, seconds: float) -> int:
        """Return 0: there is one picture."""
        return 0

    def read(self, index: int = 0) -> RawPicture:
        """Return the picture, at most `MOST_SIDE` a side; with alpha it is premultiplied BGRA.

        Raises
        ------
        MediaError
            If the file is damaged.
        """
        if self._picture is None:
            if self.path.suffix.lower() in _DRAWINGS:
                picture, self.remark = _drawn(self.path)
            else:
                picture = _read(self.path)
            self._picture = RawPicture((picture,), is_still=True)
        return self._picture

    def close(self) -> None:
        """Let go of the picture."""
        self._picture = None


def is_still(path: Path) -> bool:
    """Whether a file looks like a still: by its first bytes, or, for drawings, by its name."""
    if path.suffix.lower() in (*_DRAWINGS, *_BY_NAME):
        return True
    try:
        with open_regular(path) as file:
            head = file.read(16)
    except (OSError, DiskError):
        return False
    is_webp, is_avif = head[:4] == b"RIFF" and head[8:12] == b"WEBP", head[4:12] == b"ftypavif"
    return head.startswith(_SIGNATURES) or is_webp or is_avif


def _size_of(path: Path) -> Size:
    if reason := why_unreadable(path):
        raise MediaError(
            tr(
                "{name} {reason}; put it back or replace it.",
                name=short_name(path),
                reason=reason,
            )
        )
    if path.suffix.lower() in _DRAWINGS:
        return read_drawing(path).size
    with _opened(path) as image:
        width, height = image.size
        if width * height > _MOST_PIXELS:
            raise MediaError(
                tr(
                    "{name} is {width} × {height} pixels, too large to show; make it smaller.",
                    name=path.name,
                    width=width,
                    height=height,
                )
            )
        try:
            is_turned = image.getexif().get(0x0112, 1) >= 5  # Exif's tag of orientation
        except _DAMAGE:
            is_turned = False  # a broken note on a picture that may be whole
        return (height, width) if is_turned else (width, height)


@contextmanager
def _opened(path: Path) -> Iterator[Image.Image]:
    try:
        file = open_regular(path)
    except (OSError, DiskError) as error:
        raise MediaError(str(error)) from None
    # The library would warn of large pictures and refuse some that are wanted; `_check_size` says no.
    Image.MAX_IMAGE_PIXELS = None
    with file:
        try:
            image = Image.open(file)
        except _DAMAGE:
            raise MediaError(
                tr("{name} is damaged or no picture; convert it or leave it out.", name=path.name)
            ) from None
        with image:
            yield image


def _read(path: Path) -> Picture:
    with _opened(path) as image:
        try:
            image.draft("RGB", (MOST_SIDE, MOST_SIDE))  # lets JPEG decode at a half or a quarter
            image.thumbnail((MOST_SIDE, MOST_SIDE), Image.Resampling.BOX, reducing_gap=1.5)
            return _bgr(_eight_bit(ImageOps.exif_transpose(image)))
        except _DAMAGE:
            raise MediaError(tr("{name} is damaged; convert it or leave it out.", name=path.name)) from None


def _drawn(path: Path) -> tuple[Picture, str]:
    """Return a drawing at a size that fills a frame, and what is to be said of it."""
    drawn = draw_as_png(read_drawing(path), path)
    try:
        picture = _bgr(Image.open(io.BytesIO(drawn.png)))
    except _DAMAGE:
        raise MediaError(
            tr("{name} is damaged or no drawing; convert it or leave it out.", name=path.name)
        ) from None
    if not drawn.missing_faces:
        return picture, ""
    faces = ", ".join(drawn.missing_faces)
    return picture, (
        f"{path.name} wants a face of letters that is not installed ({faces}): another one shows its text."
        " Install it, or turn the text into paths."
    )


def _eight_bit(image: Image.Image) -> Image.Image:
    """Return an image of 16 bits in 8: the library would cut levels off."""
    if not image.mode.startswith(("I", "F")):
        return image
    levels = np.asarray(image, np.float64)
    scale = 255 if image.mode == "F" and levels.max(initial=0) <= 1 else 1 / 257
    grey = Image.fromarray(np.clip(levels * scale + 0.5, 0, 255).astype(np.uint8))
    clear = image.info.get("transparency")  # one of the 65,536 levels; after scaling it would be 257 of them
    if clear is None:
        return grey
    return Image.merge("LA", [grey, Image.fromarray(np.where(levels == clear, 0, 255).astype(np.uint8))])


def _bgr(image: Image.Image) -> Picture:
    """Return BGR, or premultiplied BGRA where something can be seen through."""
    if not image.has_transparency_data:
        return np.asarray(cv2.cvtColor(np.asarray(image.convert("RGB")), cv2.COLOR_RGB2BGR), np.uint8)
    picture = np.asarray(cv2.cvtColor(np.asarray(image.convert("RGBA")), cv2.COLOR_RGBA2BGRA), np.uint8)
    return premultiplied(picture[..., :3], picture[..., 3])
