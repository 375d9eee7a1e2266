"""Endless zoom: the picture within itself, for ever."""

from collections.abc import Sequence
from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import Float32Array, Picture, Pixels

_SMALLEST = 12
"""Pixels of the width: what is smaller is not drawn."""
_MASK_COLUMNS = 96
_MOST_INNER = 4


def _echoes(values: Values) -> tuple[int, ...]:
    apart = round(values.late)
    if values.amount == 0 or apart == 0:
        return ()
    return tuple(-apart * number for number in range(1, _MOST_INNER + 1))


@effect(
    key="endless-zoom",
    version=1,
    family=Family.MOTION,
    label="Endless zoom",
    group="Camera",
    keywords="infinite droste recursive fall dive within itself",
    lasts=True,
    parameters=(
        Parameter("amount", "Opened", "%", low=0, high=100, rest=0, peak=100),
        Parameter("ratio", "Each in the next", "times", low=1.4, high=6, rest=2, peak=2),
        Parameter("rate", "Speed", "a second", low=-4, high=4, rest=0.8, peak=0.8),
        Parameter("turn", "Turn", "°", low=-180, high=180, rest=0, peak=0, help="From one to the next"),
        Parameter("soft", "Soft", "%", low=4, high=50, rest=26, peak=26),
        Parameter("late", "Later", "frames", low=0, high=12, rest=0, peak=0, help="Each farther in"),
    ),
    needs=(Need.TIME,),
    echoes=_echoes,
)
def endless_zoom(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture within itself, smaller and smaller, and goes into it without an end."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    place = values.seconds * values.rate % 1.0

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        halved = [[one] for one in (picture, *others)]
        mask = _window(max(4, round(_MASK_COLUMNS * height / width)), values.soft)
        depth = int(np.ceil(np.log(max(width / _SMALLEST, 2)) / np.log(values.ratio))) + 1
        done: Pixels = picture
        for number in range(depth):
            # At part strength the outer picture is hardly enlarged and the inner ones are small.
            scale = values.ratio ** (place * level - number) * (level**0.6 if number else 1.0)
            turn = values.turn * (place * level - number * (1.0 if number else level))
            smaller = halved[min(number, len(others))]
            matrix = cv2.getRotationMatrix2D((width / 2, height / 2), -turn, scale)
            if number == 0:
                done = np.asarray(
                    cv2.warpAffine(picture, matrix, (width, height), borderMode=cv2.BORDER_REFLECT)
                )
            elif not _laid(np.asarray(done, np.uint8), _at_scale(smaller, scale), matrix, mask):
                break
        return np.asarray(done, np.uint8)

    return Mix(apply)


def _at_scale(halved: list[Picture], scale: float) -> Picture:
    """Return a picture halved as often as a scale allows, so that it does not crawl; keeps what it made."""
    times = max(0, int(-np.log2(scale)))
    while len(halved) <= times:
        height, width = halved[-1].shape[:2]
        size = max(2, width // 2), max(2, height // 2)
        halved.append(np.asarray(cv2.resize(halved[-1], size, interpolation=cv2.INTER_AREA), np.uint8))
    return halved[times]


def _laid(ground: Picture, small: Picture, matrix: np.ndarray, mask: Float32Array) -> bool:
    """Lay a picture over another, moved and soft at its edge; return whether it is large enough."""
    height, width = ground.shape[:2]
    corners = np.array([[0, 0, 1], [width, 0, 1], [0, height, 1], [width, height, 1.0]]) @ matrix.T
    low = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    high = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 1, (width, height))
    size = int(high[0] - low[0]), int(high[1] - low[1])
    if min(size) < 4:
        return False
    local = matrix.copy()
    local[:, 2] -= low
    part_of = local.copy()
    part_of[:, 0] *= width / small.shape[1]
    part_of[:, 1] *= height / small.shape[0]
    part = cv2.warpAffine(small, part_of, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    local[:, 0] *= width / mask.shape[1]
    local[:, 1] *= height / mask.shape[0]
    weight = cv2.warpAffine(mask, local, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    spot = ground[low[1] : high[1], low[0] : high[0]]
    spot[:] = cv2.blendLinear(part, np.ascontiguousarray(spot), weight, 1 - weight)
    return True


@lru_cache(maxsize=8)
def _window(rows: int, soft: float) -> Float32Array:
    """Return how much is seen of an inner picture, float32, shape (rows, 96): all but at the edges."""
    across, down = (
        np.clip((1 - np.abs((np.arange(count) + 0.5) / count * 2 - 1)) / (soft / 100), 0, 1)
        for count in (_MASK_COLUMNS, rows)
    )
    across, down = (share * share * (3 - 2 * share) for share in (across, down))
    return np.asarray(down[:, None] * across[None], np.float32)
