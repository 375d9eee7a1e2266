"""Fitting a source picture into the frame: fit, scale, position, move."""

import math
import threading
from collections.abc import Callable

import cv2
import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.timeline import Fit, Framing, Item, Move, Transform
from epiphane.facts.framing import item_framing
from epiphane.lru import LruCache
from epiphane.media.raw import RawPicture
from epiphane.types import Plane, Size

_AT_REST = {
    name: getattr(Transform(), name) for name in ("move", "amount", "end", "ease", "backdrop", "colour")
}
"""What says how a picture moves and what lies behind it: once it is placed, nothing."""


def transform_on(item: Item, frame: int) -> Transform:
    """Return how an item lies in the frame on a frame of the project, where it has moved to by then."""
    here = item_framing(item, frame)
    framing = {name: getattr(here, name) for name in Framing.__struct_fields__}
    if item.keys or item.transform.move is not Move.NONE:
        framing = {name: round(value, 6) for name, value in framing.items()}
    return replace(item.transform, **framing, **_AT_REST)


def plane_size(plane: Plane, raw: RawPicture, size: Size) -> Size:
    """Return the size of a plane of a picture drawn at `size`: as much smaller as it is in its file.

    Parameters
    ----------
    plane : uint8, shape (height, width)
        One of the planes of `raw`, which may be smaller than the picture.
    size : (width, height) at which the picture is drawn, in pixels

    Returns
    -------
    (width, height) in pixels, at least 1
    """
    height, width = plane.shape[:2]
    stored_width, stored_height = raw.shape
    return max(1, -(-size[0] * width // stored_width)), max(1, -(-size[1] * height // stored_height))


def placed_plane(
    plane: Plane, raw: RawPicture, size: Size, shape: Size, transform: Transform, *, is_chroma: bool = False
) -> Plane:
    """Return a plane of a picture as it lies in the frame.

    Parameters
    ----------
    plane : Plane
        One of `raw.planes`; `is_chroma` tells that it is Cb or Cr.
    size : (width, height) in pixels
        Of the plane that is wanted, whatever its proportions.
    shape : (width, height)
        Of the project: the frame's proportions.
    transform : Transform
        What lies beyond the picture is black.
    """
    across, down = _displayed(raw, shape, transform.fit)
    is_plain = transform.scale == 1 and transform.x == transform.y == transform.rotation == 0
    if is_plain and min(across, down) >= 1:
        if raw.is_still:
            return _kept.get(plane, (size, across, down), lambda: _cut_out(plane, size, 1 / across, 1 / down))
        return _cut_out(plane, size, 1 / across, 1 / down)
    shown = across * transform.scale, down * transform.scale
    if raw.is_still:
        plane = _level(plane, size, shown)
    black = _black(raw, is_chroma=is_chroma)
    return _laid(
        plane, size, _Placement(shown, (transform.x, transform.y), transform.rotation, shape), black=black
    )


def _level(plane: Plane, target: Size, shown: tuple[float, float]) -> Plane:
    """Return a still at a step of sizes not much larger than it is shown, made once and kept.

    A push over a still shows it larger on every frame, and scaling all of it takes longer than the rest.
    """
    height, width = plane.shape[:2]
    spare = min(n / max(1.0, share * to) for n, share, to in zip((width, height), shown, target, strict=True))
    step = math.floor(_LEVELS_AN_OCTAVE * math.log2(spare)) if spare > 1 else 0
    if step == 0:
        return plane
    shrink = 2 ** (-step / _LEVELS_AN_OCTAVE)
    size = max(1, math.ceil(width * shrink)), max(1, math.ceil(height * shrink))
    return _kept.get(
        plane, size, lambda: np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.uint8)
    )


class _KeptPlanes:
    """What was made of planes, by the plane and how; the longest unused is forgotten. For several threads."""

    def __init__(self, most: int) -> None:
        self._lock = threading.Lock()
        self._made: LruCache[tuple[int, object], tuple[Plane, Plane]] = LruCache(most)

    def get(self, plane: Plane, how: object, make: Callable[[], Plane]) -> Plane:
        """Return what is made of a plane, or was before."""
        key = id(plane), how
        with self._lock:
            found = self._made.get(key)
        if found is not None and found[0] is plane:
            return found[1]
        made = make()
        with self._lock:
            self._made.put(key, (plane, made))  # the plane too: no other one is to get its number meanwhile
        return made


_LEVELS_AN_OCTAVE = 4
# Four pixels are enough to look at when a picture is made this much smaller.
_HARMLESS_SHRINK = 1.25
_kept = _KeptPlanes(4)
_UNITS = ((0, 0), (1, 0), (0, 1))


def _displayed(raw: RawPicture, shape: Size, fit: Fit) -> tuple[float, float]:
    """Return the width and height at which a picture is shown, in shares of the frame."""
    return _fitted(raw.shape[0] * raw.pixel_aspect / raw.shape[1], shape, fit)


def shown_size(size: Size, shape: Size, fit: Fit) -> tuple[float, float]:
    """Return the width and height at which footage of square pixels is shown, in shares of the frame.

    Parameters
    ----------
    size, shape : (width, height) of the footage and of the frame, in pixels
    """
    return _fitted(size[0] / size[1], shape, fit)


def _fitted(aspect: float, shape: Size, fit: Fit) -> tuple[float, float]:
    if fit is Fit.STRETCH:
        return 1.0, 1.0
    wider = aspect / (shape[0] / shape[1])
    if (wider > 1) == (fit is Fit.COVER):
        return wider, 1.0
    return 1.0, 1 / wider


def _cut_out(plane: Plane, target: Size, keep_x: float, keep_y: float) -> Plane:
    """Cut a share out of the middle of a plane and bring it to a size: the usual case, and a quick one."""
    height, width = plane.shape[:2]
    cut_width, cut_height = max(1, round(width * keep_x)), max(1, round(height * keep_y))
    left, top = (width - cut_width) // 2, (height - cut_height) // 2
    cut = plane[top : top + cut_height, left : left + cut_width]
    if (cut_width, cut_height) == target:
        return cut
    is_smaller = target[0] * 2 <= cut_width or target[1] * 2 <= cut_height
    if is_smaller and (factor := _whole_factor((cut_width, cut_height), target)) > 1:
        # Means of whole squares, and straight lines for the rest: ten times quicker than means of shares.
        between = cut_width // factor, cut_height // factor
        cut, is_smaller = np.asarray(cv2.resize(cut, between, interpolation=cv2.INTER_AREA), np.uint8), False
    method = cv2.INTER_AREA if is_smaller else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(cut, target, interpolation=method), np.uint8)


def _whole_factor(size: Size, target: Size) -> int:
    """Return the largest power of two by which a size can be divided without getting under the target."""
    factor = 1
    while all(
        side % (2 * factor) == 0 and side // (2 * factor) >= to for side, to in zip(size, target, strict=True)
    ):
        factor *= 2
    return factor


class _Placement(Struct, frozen=True):
    """Where a picture lies: its width and height and how far it is moved, in shares of the frame of `shape`.

    It is turned clockwise by `rotation` degrees, where pixels of the frame are square.
    """

    shown: tuple[float, float]
    moved: tuple[float, float]
    rotation: float
    shape: Size

    def back(self, across: float, down: float) -> tuple[float, float]:
        """Return which shares of the picture are on shares of the frame's width and height."""
        width, height = self.shape
        x, y = (across - 0.5 - self.moved[0]) * width, (down - 0.5 - self.moved[1]) * height
        turn = math.radians(-self.rotation)
        cos, sin = math.cos(turn), math.sin(turn)
        x, y = cos * x - sin * y, sin * x + cos * y
        return x / (self.shown[0] * width) + 0.5, y / (self.shown[1] * height) + 0.5

    @property
    def is_covering(self) -> bool:
        """Whether it leaves nothing of the frame free."""
        if self.rotation == 0:
            return _is_covering(self.shown, self.moved)
        corners = (self.back(across, down) for across in (0, 1) for down in (0, 1))
        return all(-1e-9 <= share <= 1 + 1e-9 for corner in corners for share in corner)


def _laid(plane: Plane, target: Size, placement: _Placement, *, black: float) -> Plane:
    """Lay a plane anywhere in the frame, to a fraction of a pixel."""
    shown, moved = placement.shown, placement.moved
    plane = _shrunk(plane, target, shown)
    height, width = plane.shape[:2]
    back = np.eye(2, 3)
    for axis, n_source in enumerate((width, height)):
        # [source pixel] from [target pixel]: share of the frame, share of the picture, pixel of the picture.
        step = n_source / (shown[axis] * target[axis])
        middle = 0.5 + moved[axis]
        back[axis, axis] = step
        back[axis, 2] = (0.5 / target[axis] - middle) * n_source / shown[axis] + n_source / 2 - 0.5
    if placement.rotation:
        places = [(0.5 / target[0] + n / target[0], 0.5 / target[1] + m / target[1]) for n, m in _UNITS]
        origin, right, down = (placement.back(*place) for place in places)
        for axis, n_source in enumerate((width, height)):
            back[axis] = (
                (right[axis] - origin[axis]) * n_source,
                (down[axis] - origin[axis]) * n_source,
                origin[axis] * n_source - 0.5,
            )
    return np.asarray(
        cv2.warpAffine(
            np.ascontiguousarray(plane),
            back,
            target,
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE if placement.is_covering else cv2.BORDER_CONSTANT,
            borderValue=(black,) * 4,
        ),
        np.uint8,
    )


def _shrunk(plane: Plane, target: Size, shown: tuple[float, float]) -> Plane:
    """Return a plane no larger than it is shown: what follows looks at four pixels only."""
    height, width = plane.shape[:2]
    wanted = tuple(
        min(n, max(1, int(np.ceil(share * to))))
        for n, share, to in zip((width, height), shown, target, strict=True)
    )
    if max(width / wanted[0], height / wanted[1]) <= _HARMLESS_SHRINK:
        return plane
    return np.asarray(cv2.resize(plane, wanted, interpolation=cv2.INTER_AREA), np.uint8)


def is_covering(size: Size, shape: Size, transform: Transform) -> bool:
    """Whether footage of a size, of square pixels, leaves nothing of a frame of some shape free.

    Parameters
    ----------
    size, shape : (width, height) of the footage and of the frame, in pixels
    """
    across, down = shown_size(size, shape, transform.fit)
    shown = across * transform.scale, down * transform.scale
    return _Placement(shown, (transform.x, transform.y), transform.rotation, shape).is_covering


def covers_frame(raw: RawPicture, shape: Size, transform: Transform) -> bool:
    """Whether a picture without alpha leaves nothing of the frame free."""
    across, down = _displayed(raw, shape, transform.fit)
    shown = across * transform.scale, down * transform.scale
    return _Placement(shown, (transform.x, transform.y), transform.rotation, shape).is_covering


def _is_covering(shown: tuple[float, float], moved: tuple[float, float]) -> bool:
    return all(share / 2 - abs(by) >= 0.5 - 1e-9 for share, by in zip(shown, moved, strict=True))


def _black(raw: RawPicture, *, is_chroma: bool) -> float:
    """Return what black is in a plane."""
    if len(raw.planes) == 1:
        return 0.0
    if is_chroma:
        return 128.0
    return 0.0 if raw.spec.is_full_range else 16.0
