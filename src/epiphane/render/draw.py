"""From a plan to a picture: the one road for preview, export, stills and thumbnails."""

from collections.abc import Sequence
from typing import Protocol

import cv2
import numpy as np

from epiphane.effects.operations import Curve, Operation, Tone
from epiphane.effects.registry import find_effect
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv, chain, yuv_to_bgr
from epiphane.media.raw import RawPicture
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.fuse import Pass, fuse, stays_inside
from epiphane.render.plan import FramePlan, SourceFrame
from epiphane.types import FloatArray, Picture, Plane, Size

cv2.setNumThreads(1)  # frames are drawn beside each other, which beats dividing each of them
cv2.ocl.setUseOpenCL(False)


class Sources(Protocol):
    """Where pictures of footage come from."""

    def picture(self, source: SourceFrame) -> RawPicture:
        """Return the picture, or a placeholder that says why there is none."""
        ...


def draw(plan: FramePlan, sources: Sources, size: Size) -> Picture:
    """Return the picture of a plan.

    Parameters
    ----------
    plan : FramePlan
    sources : Sources
    size : (width, height) of the picture wanted, in pixels

    Returns
    -------
    Picture: uint8, shape (height, width, 3), BGR
    """
    done = _pass_of(plan)
    picture, decoding = _placed(plan, sources, size, done)
    return _toned(picture, decoding, done.tones)


def draw_planes(plan: FramePlan, sources: Sources, size: Size) -> tuple[Plane, Plane, Plane]:
    """Return the picture of a plan as Y, Cb and Cr 4:2:0 in `OUTPUT_SPEC`, for export.

    Footage that is in this form already and has no effect on it goes through untouched; the rest
    takes the road of `draw`, and the last two matrices are one where nothing is clipped between.
    """
    done = _pass_of(plan)
    if plan.source is not None and done.warp is None and not done.tones:
        raw = sources.picture(plan.source)
        if _is_output_form(raw, size):
            return raw.planes  # type: ignore[return-value]
    picture, decoding = _placed(plan, sources, size, done)
    return planes_from_yuv444(_toned(picture, decoding, done.tones, encoding=bgr_to_yuv(OUTPUT_SPEC)))


def _pass_of(plan: FramePlan) -> Pass:
    operations: list[Operation] = []
    for active in plan.effects:
        effect = find_effect(active.key)
        if effect is not None:
            operations.extend(effect.operations(active.values))
    return fuse(operations)


def _placed(plan: FramePlan, sources: Sources, size: Size, done: Pass) -> tuple[Picture, FloatArray | None]:
    """Return the source fitted and warped, and the matrix that brings it to BGR, if it needs one.

    Warping the planes of a file before they are joined moves half as many values, and leaves one
    colour matrix to do at the end.
    """
    if plan.source is None:
        return np.zeros((size[1], size[0], 3), np.uint8), None
    raw = sources.picture(plan.source)
    planes = [_fitted(plane, raw, size, plan.shape) for plane in raw.planes]
    if done.warp is not None:
        planes = [_warped(plane, done.warp) for plane in planes]
    if len(planes) == 1:
        return planes[0], None
    width, height = size
    full = [
        plane
        if plane.shape[:2] == (height, width)
        else cv2.resize(plane, size, interpolation=cv2.INTER_NEAREST)
        for plane in planes
    ]
    return np.asarray(cv2.merge(full), np.uint8), yuv_to_bgr(raw.spec)


def _toned(
    picture: Picture,
    decoding: FloatArray | None,
    tones: Sequence[Tone | Curve],
    *,
    encoding: FloatArray | None = None,
) -> Picture:
    """Apply tones one after the other, neighbouring matrices as one where nothing is clipped.

    The first tone may join the `decoding` matrix: what that one clips is blacker than black. The
    `encoding` matrix may join what does not clip.
    """
    pending, is_decoding = decoding, True
    for tone in tones:
        if isinstance(tone, Curve):
            table = np.clip(np.rint(tone.table), 0, 255).astype(np.uint8)[None]
            picture = np.asarray(cv2.LUT(_transformed(picture, pending), table), np.uint8)
            pending = None
        elif pending is None or is_decoding:
            pending = tone.matrix if pending is None else chain(pending, tone.matrix)
        else:
            picture, pending = _transformed(picture, pending), tone.matrix
        is_decoding = False
    if encoding is None:
        return _transformed(picture, pending)
    if pending is None or not stays_inside(tones):
        return _transformed(_transformed(picture, pending), encoding)
    return _transformed(picture, chain(pending, encoding))


def _transformed(picture: Picture, matrix: FloatArray | None) -> Picture:
    return picture if matrix is None else np.asarray(cv2.transform(picture, matrix), np.uint8)


def _is_output_form(raw: RawPicture, size: Size) -> bool:
    if len(raw.planes) != 3 or raw.spec != OUTPUT_SPEC or raw.pixel_aspect != 1:
        return False
    half = (size[1] // 2, size[0] // 2)
    return raw.shape == size and raw.planes[1].shape == half


def _fitted(plane: Plane, raw: RawPicture, size: Size, shape: Size) -> Plane:
    """Cut a plane to the project's shape, about its middle, and bring it to the size wanted.

    The picture fills the frame; what sticks out is cut off. A plane that is smaller than its
    picture (subsampled colour) stays smaller by as much.
    """
    height, width = plane.shape[:2]
    stored_width, stored_height = raw.shape
    target = (
        max(1, -(-size[0] * width // stored_width)),
        max(1, -(-size[1] * height // stored_height)),
    )
    seen_width = stored_width * raw.pixel_aspect
    wanted = shape[0] / shape[1]
    keep_x = min(1.0, stored_height * wanted / seen_width)
    keep_y = min(1.0, seen_width / wanted / stored_height)
    cut_width, cut_height = max(1, round(width * keep_x)), max(1, round(height * keep_y))
    left, top = (width - cut_width) // 2, (height - cut_height) // 2
    cut = plane[top : top + cut_height, left : left + cut_width]
    if (cut_width, cut_height) == target:
        return cut
    is_smaller = target[0] * 2 <= cut_width or target[1] * 2 <= cut_height
    method = cv2.INTER_AREA if is_smaller else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(cut, target, interpolation=method), np.uint8)


def _warped(plane: Plane, warp: FloatArray) -> Plane:
    """Move the points of a plane; `warp` is in shares of the picture, whatever the plane's size."""
    height, width = plane.shape[:2]
    # [share] = ([pixel] + 1/2) / [pixels]: the middle of a pixel is where its value is.
    to_share = np.array([[1 / width, 0, 0.5 / width], [0, 1 / height, 0.5 / height], [0, 0, 1]])
    back = np.linalg.inv(to_share) @ np.linalg.inv(warp) @ to_share
    return np.asarray(
        cv2.warpAffine(
            np.ascontiguousarray(plane),
            back[:2],
            (width, height),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REFLECT,
        ),
        np.uint8,
    )
