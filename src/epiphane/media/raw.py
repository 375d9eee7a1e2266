"""A decoded picture as it comes from a file, before anything is done to it."""

from __future__ import annotations

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.media.colour import OUTPUT_SPEC, ColourSpec, spec_of_tags, yuv_to_bgr
from epiphane.media.gamut import to_bt709, wide_gamut_of
from epiphane.media.orientation import orientation_of
from epiphane.types import Picture, Plane, Size

_PLANAR = {"yuv420p", "yuvj420p", "yuv422p", "yuvj422p", "yuv444p", "yuvj444p"}
_FULL_RANGE_NAMES = {"yuvj420p", "yuvj422p", "yuvj444p"}
_NOT_YUV = ("gray", "pal", "mono", "bgr", "rgb", "ya")
# Values of AVColorRange (ITU-T H.273).
_LIMITED_RANGE, _FULL_RANGE = 1, 2


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
    def has_alpha(self) -> bool:
        """Whether it is premultiplied BGRA."""
        return len(self.planes) == 1 and self.planes[0].shape[2] == 4

    @property
    def n_bytes(self) -> int:
        """Memory it holds."""
        return sum(plane.nbytes for plane in self.planes)


def raw_from_bgr(picture: Picture) -> RawPicture:
    """Return a picture that has always been BGR, or premultiplied BGRA.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3 or 4)
    """
    return RawPicture((picture,))


def premultiplied(picture: Picture, alpha: Plane) -> Picture:
    """Return premultiplied BGRA from BGR and alpha, uint8 of the same height and width.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR
    alpha : uint8, shape (height, width)

    Returns
    -------
    uint8, shape (height, width, 4), BGRA
    """
    scaled = cv2.multiply(np.ascontiguousarray(picture), cv2.merge([alpha] * 3), scale=1 / 255)
    return np.asarray(cv2.merge([*cv2.split(scaled), alpha]), np.uint8)


def raw_from_frame(
    frame: av.VideoFrame,
    *,
    pixel_aspect: float = 1.0,
    is_grey_limited: bool = False,
    is_premultiplied: bool = False,
) -> RawPicture:
    """Return what a decoder gave, upright and in 8 bits of BT.709 light; nothing else is changed.

    Deeper pictures are rounded to 8 bits, packed and grey ones become Y'CbCr or BGR. Grey without a tag of
    its range is full, unless `is_grey_limited`. Colours are multiplied by alpha, unless they are so already.

    Parameters
    ----------
    frame : av.VideoFrame
    pixel_aspect : float
        Width of a pixel by its height, as the file tells it.
    is_grey_limited : bool
        Whether grey goes from 16 to 235 where no tag says so.
    is_premultiplied : bool
        Whether colours have been multiplied by alpha.
    """
    orientation = orientation_of(frame)
    if any(component.is_alpha for component in frame.format.components):
        planes, spec = [_with_alpha(frame, is_premultiplied=is_premultiplied)], OUTPUT_SPEC
    else:
        planes, spec = _planes_of(frame, is_grey_limited=is_grey_limited)
    if orientation.is_transposed:
        pixel_aspect = 1 / pixel_aspect
    upright = [orientation.upright(plane) for plane in planes]
    if len(upright) == 1:
        return RawPicture((upright[0],), pixel_aspect=pixel_aspect)
    return RawPicture((upright[0], upright[1], upright[2]), spec, pixel_aspect)


def treatments_of(frame: av.VideoFrame, *, is_interlaced: bool) -> tuple[str, ...]:
    """Return what is done to a clip like this frame so that it looks right, for people: a few words each."""
    gamut = wide_gamut_of(frame)
    words = (
        gamut.words if gamut is not None else "",
        "deinterlaced" if is_interlaced else "",
        orientation_of(frame).words,
    )
    return tuple(word for word in words if word)


def _planes_of(frame: av.VideoFrame, *, is_grey_limited: bool) -> tuple[list[Plane | Picture], ColourSpec]:
    """Return the planes of a frame as it is stored, in 8 bits, and what they are in."""
    name, color_range, spec = frame.format.name, _range_of(frame), _spec_of(frame)
    gamut = wide_gamut_of(frame)
    if gamut is not None and (frame.format.is_rgb or not name.startswith(_NOT_YUV)):
        return [to_bt709(frame, spec, gamut)], OUTPUT_SPEC
    is_limited = color_range == _LIMITED_RANGE or (is_grey_limited and color_range != _FULL_RANGE)
    if name.startswith("gray") and is_limited:
        luma = np.ascontiguousarray(frame.to_ndarray(format="gray"), np.uint8)
        chroma = np.full((-(-frame.height // 2), -(-frame.width // 2)), 128, np.uint8)
        return [luma, chroma, chroma], ColourSpec(spec.matrix, is_full_range=False)
    if frame.format.is_rgb or name.startswith(_NOT_YUV):
        return [np.ascontiguousarray(frame.to_ndarray(format="bgr24"), np.uint8)], OUTPUT_SPEC
    frame_8_bit = frame.reformat(format=_eight_bit_sibling(name)) if name not in _PLANAR else frame
    return [_plane(plane) for plane in frame_8_bit.planes[:3]], spec


def _with_alpha(frame: av.VideoFrame, *, is_premultiplied: bool) -> Picture:
    """Return premultiplied BGRA; colours of Y'CbCr take the exact road of all others."""
    if frame.format.name.startswith("yuva"):
        deep = frame.reformat(format="yuva444p")
        luma, blue, red, alpha = (_plane(plane) for plane in deep.planes)
        to_bgr = yuv_to_bgr(_spec_of(frame))
        bgr = np.asarray(cv2.transform(cv2.merge([luma, blue, red]), to_bgr), np.uint8)
    else:
        picture = np.ascontiguousarray(frame.to_ndarray(format="bgra"), np.uint8)
        bgr, alpha = picture[..., :3], picture[..., 3]
    if not is_premultiplied:
        return premultiplied(bgr, alpha)
    # What was coded coarsely may lie above its alpha.
    within = cv2.min(np.ascontiguousarray(bgr), cv2.merge([alpha] * 3))
    return np.asarray(cv2.merge([within, np.ascontiguousarray(alpha)]), np.uint8)


def _range_of(frame: av.VideoFrame) -> int:
    return _FULL_RANGE if frame.format.name in _FULL_RANGE_NAMES else int(frame.color_range)


def _spec_of(frame: av.VideoFrame) -> ColourSpec:
    return spec_of_tags(int(frame.colorspace), _range_of(frame), n_lines=min(frame.width, frame.height))


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
