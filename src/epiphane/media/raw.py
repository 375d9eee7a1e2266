"""A decoded picture as it comes from a file, before anything is done to it."""

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.media.colour import OUTPUT_SPEC, ColourSpec, spec_of_tags, yuv_to_bgr
from epiphane.types import Picture, Plane, Size

_PLANAR = {"yuv420p", "yuvj420p", "yuv422p", "yuvj422p", "yuv444p", "yuvj444p"}
_FULL_RANGE_NAMES = {"yuvj420p", "yuvj422p", "yuvj444p"}
_QUARTER_TURNS = {
    90: cv2.ROTATE_90_COUNTERCLOCKWISE,
    180: cv2.ROTATE_180,
    270: cv2.ROTATE_90_CLOCKWISE,
}


class RawPicture(Struct, frozen=True, eq=False):
    """A picture in the planes of its file, upright, or in BGR where the file has no Y'CbCr.

    Attributes
    ----------
    planes : three `Plane`, or one `Picture`
        Y, Cb and Cr, the last two of any smaller size; or one picture, BGR or premultiplied BGRA.
    spec : ColourSpec
        What the planes are in; without meaning for BGR.
    pixel_aspect : float
        Width of a pixel by its height.
    is_still : bool
        Whether it is the one picture of its file: what is made of it is worth keeping.
    """

    planes: tuple[Plane, Plane, Plane] | tuple[Picture]
    spec: ColourSpec = OUTPUT_SPEC
    pixel_aspect: float = 1.0
    is_still: bool = False

    @property
    def shape(self) -> Size:
        """Width and height in pixels as stored."""
        height, width = self.planes[0].shape[:2]
        return width, height

    @property
    def n_bytes(self) -> int:
        """Memory it holds."""
        return sum(plane.nbytes for plane in self.planes)


def raw_from_bgr(picture: Picture) -> RawPicture:
    """Return a picture that has always been BGR, or premultiplied BGRA."""
    return RawPicture((picture,))


def premultiplied(picture: Picture, alpha: Plane) -> Picture:
    """Return premultiplied BGRA from BGR and alpha, uint8 of the same height and width."""
    scaled = cv2.multiply(np.ascontiguousarray(picture), cv2.merge([alpha] * 3), scale=1 / 255)
    return np.asarray(cv2.merge([*cv2.split(scaled), alpha]), np.uint8)


def raw_from_frame(frame: av.VideoFrame, *, pixel_aspect: float = 1.0) -> RawPicture:
    """Return what a decoder gave, upright and in 8 bits; nothing else is changed.

    Deeper pictures are rounded to 8 bits, packed and grey ones become Y'CbCr 4:4:4 or BGR.
    """
    name = frame.format.name
    if any(component.is_alpha for component in frame.format.components):
        picture = _with_alpha(frame, name)
        return RawPicture((_upright(picture, frame.rotation),), pixel_aspect=pixel_aspect)
    if frame.format.is_rgb or name.startswith(("gray", "pal", "mono", "bgr", "rgb", "ya")):
        picture = np.ascontiguousarray(frame.to_ndarray(format="bgr24"), np.uint8)
        return RawPicture((_upright(picture, frame.rotation),), pixel_aspect=pixel_aspect)
    frame_8_bit = frame.reformat(format=_eight_bit_sibling(name)) if name not in _PLANAR else frame
    spec = spec_of_tags(
        int(frame.colorspace),
        2 if name in _FULL_RANGE_NAMES else int(frame.color_range),
        n_lines=min(frame.width, frame.height),
    )
    planes = [_upright(_plane(plane), frame.rotation) for plane in frame_8_bit.planes[:3]]
    if frame.rotation % 180:
        pixel_aspect = 1 / pixel_aspect
    return RawPicture((planes[0], planes[1], planes[2]), spec, pixel_aspect)


def _with_alpha(frame: av.VideoFrame, name: str) -> Picture:
    """Return premultiplied BGRA; colours of Y'CbCr take the exact road of all others."""
    if not name.startswith("yuva"):
        picture = np.ascontiguousarray(frame.to_ndarray(format="bgra"), np.uint8)
        return premultiplied(picture[..., :3], picture[..., 3])
    deep = frame.reformat(format="yuva444p")
    luma, blue, red, alpha = (_plane(plane) for plane in deep.planes)
    spec = spec_of_tags(int(frame.colorspace), int(frame.color_range), n_lines=min(frame.width, frame.height))
    bgr = np.asarray(cv2.transform(cv2.merge([luma, blue, red]), yuv_to_bgr(spec)), np.uint8)
    return premultiplied(bgr, alpha)


def _eight_bit_sibling(name: str) -> str:
    for layout in ("420", "422"):
        if layout in name:
            return f"yuv{layout}p"
    return "yuv420p" if name.startswith(("nv", "p01")) else "yuv444p"


def plane_rows(plane: av.video.plane.VideoPlane) -> Plane:
    """Return the memory of a plane as rows, with the padding at their ends; nothing is copied."""
    memory = np.frombuffer(memoryview(plane), np.uint8)
    return np.asarray(memory.reshape(-1, plane.line_size))


def _plane(plane: av.video.plane.VideoPlane) -> Plane:
    rows = plane_rows(plane)
    return rows[: plane.height, : plane.width]


def _upright(picture: Plane | Picture, rotation: int) -> Plane | Picture:
    """Turn by what the file says; `rotation` is counter-clockwise in degrees."""
    turn = _QUARTER_TURNS.get(rotation % 360)
    return picture if turn is None else np.asarray(cv2.rotate(picture, turn), np.uint8)
