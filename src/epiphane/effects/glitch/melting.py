"""Melting picture: the picture from before the hit is dragged along by what moves now."""

from collections.abc import Sequence
from itertools import pairwise
from typing import TypeAlias

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.effects.pixels import points
from epiphane.noise import clouds
from epiphane.types import Float32Array, Picture, Plane, Size

_Moved: TypeAlias = tuple[Float32Array, Float32Array]
"""Of blocks: where each came from, shape (rows, blocks, 2), shares of the width; how unlike it is, levels."""
_MOST_STEPS = 6
_COLUMNS = 240
_BLOCKS = 48
_LEAST_ERROR, _ERROR_RANGE = 4, 36
_TAKEN, _FADES = 0.6, 0.9


def _steps(since: int) -> tuple[int, ...]:
    """Return how many frames ago pictures were from the hit to now, in a few steps, the first first."""
    apart = max(1, -(-since // _MOST_STEPS))
    return (*range(since, 0, -apart), 0)


def _echoes(values: Values) -> tuple[int, ...]:
    since = round(values.since)
    return () if values.amount == 0 or since <= 0 else tuple(-ago for ago in _steps(since)[:-1])


def _held(values: Values) -> int | None:
    """Return the frame before the hit: on a cut, the last of the shot before."""
    return None if values.amount == 0 or values.since < 0 else -round(values.since) - 1


@effect(
    key="melting",
    version=1,
    family=Family.GLITCH,
    label="Melting picture",
    group="Digital",
    keywords="datamosh smear motion vectors bloom p-frames drag compression",
    parameters=(
        Parameter("amount", "Melted", "%", low=0, high=100, rest=0, peak=100),
        Parameter("drag", "Drag", "%", low=0, high=400, rest=220, peak=220),
        Parameter(
            "refresh", "Sent anew", "%", low=0, high=100, rest=35, peak=35, help="What changed too much"
        ),
    ),
    needs=(Need.CUE, Need.TIME),
    echoes=_echoes,
    held=_held,
)
def melting(values: Values) -> Operation | tuple[Operation, ...]:
    """Keeps the picture from before the hit, or the cut, and drags its blocks along with what moves now."""
    if values.amount == 0 or values.since < 0:
        return NOTHING

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        if not others:
            return picture
        height, width = picture.shape[:2]
        size = _BLOCKS, max(2, round(_BLOCKS * height / width))
        smaller = [_small_grey(one) for one in (*others[1:], picture)]
        steps = [_moved(before, after, size) for before, after in pairwise(smaller)]
        source, fresh = _dragged(steps, size, values)
        across, down = (
            cv2.resize(
                np.ascontiguousarray(source[..., part]) * width,
                (width, height),
                interpolation=cv2.INTER_NEAREST,
            )
            for part in (0, 1)
        )
        x, y = points(width, height, height / width)
        from_x = x * np.float32(width / 2) + np.float32(width / 2 - 0.5) + across
        from_y = y * np.float32(width / 2) + np.float32(height / 2 - 0.5) + down
        old = cv2.remap(others[0], from_x, from_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        # Blocks go back one after the other as the level falls, in lumps: no mixture, it is a fault.
        rows, blocks = fresh.shape
        lumps = clouds((values.seed, 7), (blocks, rows), 6)
        turns = np.argsort(np.argsort(lumps.ravel())).reshape(rows, blocks) / (rows * blocks)
        shown = ((100 * turns >= values.amount) | (fresh > _TAKEN)).astype(np.uint8)
        cv2.copyTo(picture, cv2.resize(shown, (width, height), interpolation=cv2.INTER_NEAREST), old)
        return np.asarray(old, np.uint8)

    return Mix(apply)


def _small_grey(picture: Picture) -> Plane:
    height, width = picture.shape[:2]
    size = _COLUMNS, max(16, round(_COLUMNS * height / width))
    return np.asarray(
        cv2.cvtColor(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), cv2.COLOR_BGR2GRAY), np.uint8
    )


def _moved(before: Plane, after: Plane, size: Size) -> _Moved:
    """Return the movement of blocks between two pictures by optical flow (DIS: Kroeger et al., ECCV 2016)."""
    engine = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    flow = engine.calc(after, before, np.zeros((*after.shape, 2), np.float32))  # backwards
    height, width = after.shape
    coarse = cv2.resize(flow, size, interpolation=cv2.INTER_AREA)
    whole = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_NEAREST)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    carried = cv2.remap(
        before, x + whole[..., 0], y + whole[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    error = cv2.resize(cv2.absdiff(carried, after), size, interpolation=cv2.INTER_AREA)
    return np.asarray(coarse / np.float32(width), np.float32), np.asarray(error, np.float32)


def _dragged(steps: Sequence[_Moved], size: Size, values: Values) -> tuple[Float32Array, Float32Array]:
    """Return where blocks of the held picture lie now, shares of the width, and how new each is, 0 to 1."""
    blocks, rows = size
    y, x = np.mgrid[0:rows, 0:blocks].astype(np.float32)
    source, fresh = np.zeros((rows, blocks, 2), np.float32), np.zeros((rows, blocks), np.float32)
    limit = _LEAST_ERROR + _ERROR_RANGE * (1 - values.refresh / 100)
    for number, (flow, error) in enumerate(steps):
        way = flow * np.float32(values.drag / 100)
        state = cv2.remap(
            np.dstack([source, fresh]),
            x + way[..., 0] * blocks,
            y + way[..., 1] * blocks,
            cv2.INTER_NEAREST,
            borderMode=cv2.BORDER_REPLICATE,
        )
        source, fresh = np.asarray(state[..., :2] + way, np.float32), np.asarray(state[..., 2], np.float32)
        if values.refresh:
            chance = np.random.default_rng((int(values.seed), number)).random((rows, blocks))
            fresh = np.maximum(fresh * _FADES, (error > limit) & (chance < _TAKEN)).astype(np.float32)
    return source, fresh
