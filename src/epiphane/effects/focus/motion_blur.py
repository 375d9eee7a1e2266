"""Motion blur: what moves in the footage is blurred along its own way, as an open shutter does."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.effects.pixels import to_levels, to_light
from epiphane.media.in_between import moved_along, quick_flow
from epiphane.types import Float32Array, Picture, Plane

_FLOW_WIDTH = 240
# Of the blur, which is done at half the size: below so many pixels of it nothing, from so many on all of it.
_LEAST_PIXELS, _WHOLE_PIXELS = 0.75, 1.75
_FEW, _MANY, _MANY_FROM_PIXELS = 8, 16, 12
# Where no movement explains a change it is a cut, a fade or a flash: more is left, of it or in levels. Of the
# demo's clips cuts leave 14 to 36 levels, movement 1.
_MOST_LEFT, _LEAST_CHANGE, _MOST_LEVELS = 0.8, 2.0, 12.0


def _echoes(values: Values) -> tuple[int, ...]:
    return () if values.shutter_angle == 0 else (-1, 0, 1)


@effect(
    key="motion_blur",
    version=1,
    family=Family.FOCUS,
    label="Motion blur",
    group="Blur",
    keywords="optical flow vector shutter angle smear movement film smooth",
    parameters=(
        Parameter(
            "shutter_angle",
            "Shutter angle",
            "°",
            low=0,
            high=720,
            rest=0,
            peak=180,
            help="180 is half a frame, as film was mostly shot; more than 360 is longer than a frame",
        ),
        Parameter(
            "limit",
            "Limit",
            "% of width",
            low=0.5,
            high=20,
            rest=8,
            peak=8,
            help="No blur is longer than this: what moves faster is told apart less surely",
        ),
    ),
    echoes=_echoes,
    lasts=True,
)
def motion_blur(values: Values) -> Operation | tuple[Operation, ...]:
    """Blurs what moves in the footage along its own movement, as a shutter that stays open does."""
    if values.shutter_angle == 0:
        return NOTHING
    share, limit = values.shutter_angle / 360, values.limit / 100

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        if len(others) != 3:
            return picture
        flow = _movement(*others)
        return picture if flow is None else _blurred_along(picture, share * flow, limit)

    return Mix(apply)


def _movement(before: Picture, here: Picture, after: Picture) -> Float32Array | None:
    """Return how far each place moves in a frame, float32, shape (rows, columns, 2), in shares of the width.

    To the next frame, or where that is the same one, at the end of a shot, from the one before; None at cuts,
    fades and where nothing changes.
    """
    middle, following, preceding = (_small_grey(one) for one in (here, after, before))
    for other, sign in ((following, 1.0), (preceding, -1.0)):
        change = float(cv2.absdiff(middle, other).mean())
        if change == 0:
            continue
        flow = quick_flow(middle, other)
        left = float(cv2.absdiff(middle, moved_along(other, flow, 1.0)).mean())
        is_movement = change < _LEAST_CHANGE or left < min(_MOST_LEFT * change, _MOST_LEVELS)
        return np.asarray(sign * flow / middle.shape[1], np.float32) if is_movement else None
    return None


def _small_grey(picture: Picture) -> Plane:
    height, width = picture.shape[:2]
    size = min(width, _FLOW_WIDTH), max(16, round(min(width, _FLOW_WIDTH) * height / width))
    small = cv2.resize(picture[..., :3], size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.cvtColor(small, cv2.COLOR_BGR2GRAY), np.uint8)


def _blurred_along(picture: Picture, flow: Float32Array, limit: float) -> Picture:
    """Return the mean light along `flow`, centred, at half the size, over the picture where that is long."""
    height, width = picture.shape[:2]
    half = max(1, width // 2), max(1, height // 2)
    small = to_light(np.asarray(cv2.resize(picture, half, interpolation=cv2.INTER_AREA), np.uint8))
    vectors = cv2.resize(flow, half, interpolation=cv2.INTER_LINEAR) * np.float32(half[0])
    length = cv2.magnitude(vectors[..., 0], vectors[..., 1])
    most = limit * half[0]
    vectors *= np.minimum(1, most / np.maximum(length, 1e-6))[..., None]
    length = np.minimum(length, most)
    longest = float(np.percentile(length, 99.5))
    if longest < _LEAST_PIXELS:
        return picture
    n_samples = _MANY if longest > _MANY_FROM_PIXELS else _FEW
    total = np.zeros(small.shape, np.float32)
    for number in range(n_samples):
        cv2.accumulate(moved_along(small, vectors, (number + 0.5) / n_samples - 0.5), total)
    blurred = to_levels(np.rint(total / n_samples).astype(np.uint16))
    # What moves also covers what lies beside it: the blur reaches as far as it is long.
    reach = 2 * round(min(longest / 2, most)) + 1
    near = cv2.blur(cv2.dilate(length, np.ones((reach, reach), np.uint8)), (9, 9))
    weight = np.clip((near - _LEAST_PIXELS) / (_WHOLE_PIXELS - _LEAST_PIXELS), 0, 1).astype(np.float32)
    weight, whole = (cv2.resize(one, (width, height)) for one in (weight, blurred))
    return np.asarray(cv2.blendLinear(whole, np.ascontiguousarray(picture), weight, 1 - weight), np.uint8)
