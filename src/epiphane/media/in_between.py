"""Pictures between two pictures of footage: a mix of both, or each part moved as far as it has come by then.

Movement is optical flow both ways (DIS: T. Kroeger et al., ECCV 2016) at a small size. Of what lands on a
place at the instant that is wanted there are two candidates, one from either flow; where the pictures agree
better on one, it is taken. Where nothing changes, or no movement explains what does, both are mixed.
"""

from __future__ import annotations

import threading
from typing import Any, cast

import cv2
import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.media.raw import RawPicture
from epiphane.types import Float32Array, Plane

STEPS = 64
"""Into which the way from one picture to the next is divided: so that equal instants are equal pictures."""

MAY_WOBBLE, WILL_TEAR = 8.0, 15.0
"""From where on what is moved is seen to wobble, and to tear, by `Movement.roughness`."""

# Of the flow: how wide its pictures are, and the preset; as measured, larger or finer gains little.
_PREVIEW_WIDTH, _EXPORT_WIDTH = 240, 480
_JUDGED_WIDTH = 160
# A pair is a cut where this share of the flow is not the same both ways, it explains so little of the change,
# and the pictures are so unlike; a fade or a flash where it explains as little and they are alike.
_CUT_UNSURE, _CUT_LEFT, _CUT_ALIKE = 0.75, 0.8, 0.4
_FADE_ALIKE, _FADE_LEFT = 0.95, 0.95
# Levels under which nothing changes, and over which all of it is movement.
_STILL_LEVELS, _MOVING_LEVELS = 1.5, 3.0
_LEAST_MOVEMENT = 0.5
_ONE_MAP = np.empty(0, np.float32)  # places are pairs in one array
_UNSHARP_SIGMA, _UNSHARP_AMOUNT = 0.8, 0.3


class Movement(Struct, frozen=True, eq=False):
    """How the parts of one picture come to their places in the next.

    Attributes
    ----------
    there, back : float32, shape (height, width, 2), pixels of that size
        From the first to the second picture, and from the second to the first.
    first, second : uint8, shape (height, width)
        Both pictures in grey.
    is_cut : bool
        Whether the second has nothing to do with the first.
    is_fade : bool
        Whether they differ in brightness, which movement cannot explain.
    """

    there: Float32Array
    back: Float32Array
    first: Plane
    second: Plane
    is_cut: bool
    is_fade: bool

    @property
    def roughness(self) -> float:
        """How ill both pictures agree half-way, in levels: the 90th percentile over the picture.

        Its rank correlation with the error against left out pictures is .95.
        """
        return float(np.percentile(_landing(self, 0.5)[1], 90))


def movement_between(first: RawPicture, second: RawPicture, *, is_preview: bool) -> Movement:
    """Return how one picture becomes the next; quicker and less exactly for a preview."""
    width = _PREVIEW_WIDTH if is_preview else _EXPORT_WIDTH
    one, other = _small_grey(first, width), _small_grey(second, width)
    there, back = _flows(one, other, is_quick=is_preview)
    is_cut, is_fade = _breaks(_small_grey(first, _JUDGED_WIDTH), _small_grey(second, _JUDGED_WIDTH))
    return Movement(there, back, one, other, is_cut, is_fade)


def _breaks(one: Plane, other: Plane) -> tuple[bool, bool]:
    """Return whether two small grey pictures are the sides of a cut, and of a fade or a flash."""
    there, back = _flows(one, other, is_quick=True)
    change = float(cv2.absdiff(one, other).mean())
    left = float(cv2.absdiff(one, moved_along(other, there, 1.0)).mean()) / max(change, 1e-3)
    alike = float(cv2.matchTemplate(one, other, cv2.TM_CCOEFF_NORMED)[0, 0])
    returned = there + moved_along(back, there, 1.0)
    unsure = float((cv2.magnitude(returned[..., 0], returned[..., 1]) > 1).mean())
    is_cut = unsure > _CUT_UNSURE and left > _CUT_LEFT and alike < _CUT_ALIKE
    return is_cut, change > _STILL_LEVELS and alike > _FADE_ALIKE and left > _FADE_LEFT


def quick_flow(one: Plane, other: Plane) -> Float32Array:
    """Return where each place of a picture has gone in another, float32, shape (height, width, 2), pixels.

    Parameters
    ----------
    one, other : uint8, shape (height, width), grey
    """
    return np.asarray(_flow_engine(is_quick=True).calc(one, other, cast(Any, None)), np.float32)


def _flows(one: Plane, other: Plane, *, is_quick: bool) -> tuple[Float32Array, Float32Array]:
    flow = _flow_engine(is_quick=is_quick)
    start = cast(Any, None)  # a flow to begin with, of which there is none
    there, back = flow.calc(one, other, start), flow.calc(other, one, start)
    return np.asarray(there, np.float32), np.asarray(back, np.float32)


def mixed(first: RawPicture, second: RawPicture, share: float) -> RawPicture:
    """Return a mix of two pictures of one clip; `share` is that of the second.

    Parameters
    ----------
    first, second : RawPicture, planes of equal shapes
    share : float, 0 to 1
    """
    planes = [
        np.asarray(cv2.addWeighted(one, 1 - share, other, share, 0), np.uint8)
        for one, other in zip(first.planes, second.planes, strict=True)
    ]
    return _with_planes(first, planes)


def moved_between(
    first: RawPicture, second: RawPicture, movement: Movement, share: float, *, is_preview: bool
) -> RawPicture:
    """Return the picture that is a share of the way from one picture to the next, its parts moved so far.

    Of a cut that is the nearer picture, of a fade a mix of both.

    Parameters
    ----------
    first, second : RawPicture, planes of equal shapes
    movement : Movement, of these two
    share : float, 0 to 1
    is_preview : bool
        Whether quickness counts more than exactness.
    """
    if movement.is_cut:
        return first if share < 0.5 else second
    if movement.is_fade:
        return mixed(first, second, share)
    vectors, _ = _landing(movement, share)
    vectors = np.asarray(cv2.blur(vectors, (3, 3)), np.float32)
    change = cv2.blur(cv2.absdiff(movement.first, movement.second), (9, 9)).astype(np.float32)
    moving = np.clip((change - _STILL_LEVELS) / (_MOVING_LEVELS - _STILL_LEVELS), 0, 1).astype(np.float32)
    planes = [
        _plane_between(one, other, vectors, moving, share, sharpens=not is_preview and number == 0)
        for number, (one, other) in enumerate(zip(first.planes, second.planes, strict=True))
    ]
    return _with_planes(first, planes)


def _plane_between(
    one: Plane, other: Plane, vectors: Float32Array, moving: Float32Array, share: float, *, sharpens: bool
) -> Plane:
    height, width = one.shape[:2]
    large = np.asarray(
        cv2.resize(vectors, (width, height)) * np.float32(width / vectors.shape[1]), np.float32
    )
    both = [moved_along(one, large, -share), moved_along(other, large, 1 - share)]
    made = np.asarray(cv2.addWeighted(both[0], 1 - share, both[1], share, 0), np.uint8)
    if sharpens:
        made = _sharpened(made, large, share)
    if moving.min() >= 1:
        return made
    plain = cv2.addWeighted(one, 1 - share, other, share, 0)
    weight = cv2.resize(moving, (width, height))
    return np.asarray(cv2.blendLinear(made, plain, weight, 1 - weight), np.uint8)


def _sharpened(plane: Plane, vectors: Float32Array, share: float) -> Plane:
    """Return a plane whose fine detail, which looking between pixels has dulled, is raised where it moves."""
    amount = _UNSHARP_AMOUNT * min(1.0, 4 * min(share, 1 - share))
    soft = cv2.GaussianBlur(plane, (0, 0), _UNSHARP_SIGMA)
    sharp = np.asarray(cv2.addWeighted(plane, 1 + amount, soft, -amount, 0), np.uint8)
    rests = cv2.magnitude(vectors[..., 0], vectors[..., 1]) < _LEAST_MOVEMENT
    sharp[rests] = plane[rests]
    return sharp


def _landing(movement: Movement, share: float) -> tuple[Float32Array, Float32Array]:
    """Return the vector, from the first picture to the second, of what lands on each place, and its cost.

    The cost is how ill both pictures agree on it, in levels. A vector is looked for where it comes from:
    V(x) = F(x - share V(x)), in two steps.
    """
    found: tuple[Float32Array, Float32Array] | None = None
    for flow, sign, way in ((movement.there, 1.0, share), (movement.back, -1.0, 1 - share)):
        vectors = np.asarray(
            moved_along(flow, moved_along(flow, flow, -way), -way) * np.float32(sign), np.float32
        )
        cost = cv2.blur(
            cv2.absdiff(
                moved_along(movement.first, vectors, -share), moved_along(movement.second, vectors, 1 - share)
            ),
            (5, 5),
        )
        cost = np.asarray(cost, np.float32)
        if found is None:
            found = vectors, cost
        else:
            is_better = cost < found[1]
            found[0][is_better] = vectors[is_better]
            found = found[0], np.minimum(cost, found[1])
    assert found is not None
    return found


def moved_along(picture: Any, vectors: Float32Array, factor: float) -> Any:
    """Return a picture looked at where some vectors, times a factor, lead from each place.

    Parameters
    ----------
    picture : any array that OpenCV takes, shape (height, width, ...)
    vectors : float32, shape (height, width, 2), pixels across and down
    factor : float
    """
    height, width = vectors.shape[:2]
    places = cv2.scaleAdd(vectors, factor, _grid(width, height))
    return cv2.remap(picture, places, _ONE_MAP, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


_local = threading.local()


def _grid(width: int, height: int) -> Float32Array:
    """Return the place of each pixel, shape (height, width, 2); those of the last few sizes are kept."""
    kept: dict[tuple[int, int], Float32Array] = _local.__dict__.setdefault("grids", {})
    if (width, height) not in kept:
        while len(kept) >= 6:
            kept.pop(next(iter(kept)))
        across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
        kept[width, height] = np.ascontiguousarray(np.stack([across, down], axis=-1))
    return kept[width, height]


def _flow_engine(*, is_quick: bool) -> cv2.DISOpticalFlow:
    """Return what finds optical flow, one for each thread."""
    kept: dict[bool, cv2.DISOpticalFlow] = _local.__dict__.setdefault("engines", {})
    if is_quick not in kept:
        preset = cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST if is_quick else cv2.DISOPTICAL_FLOW_PRESET_MEDIUM
        kept[is_quick] = cv2.DISOpticalFlow.create(preset)
    return kept[is_quick]


def _small_grey(raw: RawPicture, width: int) -> Plane:
    plane = raw.planes[0]
    grey = plane if plane.ndim == 2 else cv2.cvtColor(plane[..., :3], cv2.COLOR_BGR2GRAY)
    height = max(16, round(width * raw.shape[1] / raw.shape[0]))
    return np.asarray(cv2.resize(grey, (width, height), interpolation=cv2.INTER_AREA), np.uint8)


def _with_planes(like: RawPicture, planes: list[Plane]) -> RawPicture:
    made = (planes[0],) if len(planes) == 1 else (planes[0], planes[1], planes[2])
    return replace(like, planes=made)
