"""Turning and mirroring pictures by what their file says about it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.types import Picture, Plane

if TYPE_CHECKING:
    from av.sidedata.sidedata import SideDataContainer


class Orientation(Struct, frozen=True):
    """What makes a stored picture upright: rows and columns exchanged, then mirrored.

    `is_flipped_across` exchanges left and right, `is_flipped_down` top and bottom.
    """

    is_transposed: bool = False
    is_flipped_across: bool = False
    is_flipped_down: bool = False

    def upright(self, picture: Plane | Picture) -> Plane | Picture:
        """Return a plane or picture upright; as it is where nothing is to be done."""
        steps: list[Callable[[np.ndarray], np.ndarray]] = []
        if self.is_transposed:
            steps.append(cv2.transpose)
        if self.is_flipped_across or self.is_flipped_down:
            code = 1 if not self.is_flipped_down else 0 if not self.is_flipped_across else -1
            steps.append(lambda plane: cv2.flip(plane, code))
        for step in steps:
            picture = np.asarray(step(picture), np.uint8)
        return picture

    @property
    def words(self) -> str:
        """What is done, for people; empty where it is nothing."""
        is_mirrored = self.is_transposed ^ self.is_flipped_across ^ self.is_flipped_down
        if self.is_transposed:
            return "turned and mirrored" if is_mirrored else "turned upright"
        return "mirrored" if is_mirrored else "turned upright" if self.is_flipped_across else ""


UPRIGHT = Orientation()


def orientation_of(frame: av.VideoFrame) -> Orientation:
    """Return how a frame is to be turned, by its display matrix (ISO/IEC 14496-12, `tkhd`)."""
    from av.sidedata import sidedata

    try:
        data = cast("SideDataContainer", frame.side_data)[sidedata.Type.DISPLAYMATRIX]
    except KeyError:
        return UPRIGHT
    # (x, y) on screen = (a x + c y, b x + d y); only the signs of quarter turns are looked at.
    a, b, _, c, d = np.frombuffer(memoryview(data), np.int32)[:5].tolist()
    if max(abs(a), abs(d)) >= max(abs(b), abs(c)):
        return Orientation(False, a < 0, d < 0)
    return Orientation(True, c < 0, b < 0)
