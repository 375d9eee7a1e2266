"""Laying the panels of a split screen into the frame."""

import cv2
import numpy as np
from msgspec import Struct

from epiphane.facts.panels import PanelPlace
from epiphane.render.nodes import SplitScreen
from epiphane.types import Picture, Size

_SHIFT = 4
"""Bits of the fraction of a pixel in which corners are given."""


class PixelBox(Struct, frozen=True):
    """A box in pixels; `left` and `top` may lie outside of the picture."""

    left: int
    top: int
    width: int
    height: int


def panel_box(place: PanelPlace, size: Size) -> PixelBox:
    """Return the box that a panel is drawn in: that of its corners, in pixels of a picture of a size."""
    left, top, width, height = place.box
    reach = max(place.lean_left, place.lean_right) / 2
    first, last = left - reach * (place.lean_left > 0), left + width + reach * (place.lean_right > 0)
    x0, x1 = round(first * size[0]), round(last * size[0])
    y0, y1 = round(top * size[1]), round((top + height) * size[1])
    return PixelBox(x0, y0, max(1, x1 - x0), max(1, y1 - y0))


def lay_panel(picture: Picture, panel: Picture, place: PanelPlace, box: PixelBox, split: SplitScreen) -> None:
    """Put the picture of a panel into that of the frame, with its border, in place.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3 or 4)
        Of the frame; it is changed.
    panel : uint8, shape (box.height, box.width, 3 or 4)
    box : PixelBox
        Where the panel lies, in pixels of `picture`; it may reach beyond it.
    """
    height, width = picture.shape[:2]
    x0, y0 = max(box.left, 0), max(box.top, 0)
    x1, y1 = min(box.left + box.width, width), min(box.top + box.height, height)
    if x1 <= x0 or y1 <= y0:
        return
    inside = panel[y0 - box.top : y1 - box.top, x0 - box.left : x1 - box.left]
    target = picture[y0:y1, x0:x1]
    if place.lean_left == place.lean_right == 0:
        target[:] = inside
    else:
        mask = np.zeros(target.shape[:2], np.uint8)
        corners = _corners(place, (width, height), split.gap) - (x0, y0)
        cv2.fillConvexPoly(mask, _fixed(corners), 255, cv2.LINE_AA, _SHIFT)
        share = cv2.merge([mask] * 3)
        laid = cv2.add(
            cv2.multiply(inside, share, scale=1 / 255),
            cv2.multiply(target, cv2.bitwise_not(share), scale=1 / 255),
        )
        target[:] = laid
    line = round(split.border * height)
    if line > 0:
        corners = _corners(place, (width, height), split.gap)
        colour = tuple(int(level) for level in split.border_colour)
        cv2.polylines(picture, [_fixed(corners)], True, colour, line, cv2.LINE_AA, _SHIFT)


def _corners(place: PanelPlace, size: Size, gap: float) -> np.ndarray:
    """Return the corners of a panel in pixels, clockwise from the upper left; leaning edges leave the gap."""
    left, top, width, height = place.box
    half = gap / 2 * size[1] / size[0]
    left_gap, right_gap = half * (place.lean_left > 0), half * (place.lean_right > 0)
    lean = place.lean_left / 2, place.lean_right / 2
    right = left + width
    shares = [
        (left + lean[0] + left_gap, top),
        (right + lean[1] - right_gap, top),
        (right - lean[1] - right_gap, top + height),
        (left - lean[0] + left_gap, top + height),
    ]
    return np.asarray(np.array(shares) * size - 0.5)


def _fixed(corners: np.ndarray) -> np.ndarray:
    return np.asarray(np.rint(corners * (1 << _SHIFT)), np.int32).reshape(-1, 1, 2)
