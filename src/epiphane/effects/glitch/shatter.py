"""Shatter: the picture from before the hit breaks like a pane, and its pieces fall."""

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, AlphaRule, Mix, Operation
from epiphane.types import FloatArray, Picture, Size

_MARGIN, _SUB_PIXELS = 0.6, 4
_CRACK = 0.6
"""Degrees by which pieces are out of line at once."""
_WANING, _LEANING = 0.8, 0.35
_LINE = 1 / 700


def _held(values: Values) -> int | None:
    """Return the frame before the hit: on a cut, the last of the shot before."""
    return None if values.amount == 0 else -max(round(values.since), 0) - 1


@effect(
    key="shatter",
    version=1,
    family=Family.GLITCH,
    label="Shatter",
    keywords="break glass shards pane explode window crack",
    parameters=(
        Parameter("amount", "Pieces left", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Pieces", "", low=12, high=160, rest=60, peak=60, is_whole=True),
        Parameter("force", "Force", "%", low=0, high=200, rest=55, peak=55),
        Parameter("gravity", "Weight", "%", low=0, high=300, rest=100, peak=100),
        Parameter("spin", "Spin", "%", low=0, high=300, rest=100, peak=100),
        Parameter("edges", "Lit edges", "%", low=0, high=100, rest=60, peak=60),
        Parameter("centre_x", "Struck across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Struck down", "%", low=0, high=100, rest=45, peak=45),
    ),
    needs=(Need.CUE, Need.SINCE, Need.TIME),
    held=_held,
)
def shatter(values: Values) -> Operation | tuple[Operation, ...]:
    """Breaks the picture from before the hit, or the cut, like a pane; its pieces fly and fall."""
    if values.amount == 0:
        return NOTHING

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        held = others[0] if others else picture
        pieces = _pieces(
            (width, height), round(values.count), values.centre_x, values.centre_y, int(values.seed)
        )
        flights = [_flight(piece, values, width, height) for piece in pieces]
        done = picture.copy()
        for piece, flight in sorted(zip(pieces, flights, strict=True), key=lambda pair: pair[1].size):
            if values.amount / 100 > _WANING * abs(piece.chances[4]):
                _lay(done, held, piece, flight, values)
        return done

    return Mix(apply, AlphaRule.GIVEN)


class _Piece(NamedTuple):
    """A piece of the pane: its corners, float64, shape (n, 2), pixels, its middle, and chances, -1 to 1."""

    corners: FloatArray
    middle: FloatArray
    chances: FloatArray


class _Flight(NamedTuple):
    """Where a piece has come to: by which matrix, float64, shape (2, 3), and how large it is."""

    matrix: FloatArray
    size: float


@lru_cache(maxsize=8)
def _pieces(size: Size, count: int, x: float, y: float, seed: int) -> tuple[_Piece, ...]:
    """Return the pieces of a pane that is struck at a place, %: smaller near it, alike at every size.

    They are the cells of points (Voronoi), clipped to the picture.
    """
    width, height = size
    generator = np.random.default_rng((seed, 5))
    away = generator.random(count) ** 1.6 * 1.15
    angle = generator.random(count) * 2 * np.pi
    struck = np.array([x, y]) / 100
    points = struck + away[:, None] * np.stack([np.cos(angle), np.sin(angle) * width / height], axis=1)
    points = points[(np.abs(points - 0.5) < 0.56).all(axis=1)]
    corners = [[0.02, 0.02], [0.98, 0.03], [0.03, 0.97], [0.97, 0.98]]
    points = np.unique(np.round(np.vstack([points, generator.random((14, 2)), corners]), 5), axis=0)
    left, top = int(-_MARGIN * width) - 1, int(-_MARGIN * height) - 1
    cells = cv2.Subdiv2D((left, top, width - 2 * left, height - 2 * top))
    for across, down in points * (width, height):
        cells.insert((float(across), float(down)))
    frame = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    found = []
    for cell in cells.getVoronoiFacetList([])[0]:
        area, clipped = cv2.intersectConvexConvex(np.asarray(cell, np.float32), frame)
        if area > 1 and clipped is not None:
            shape = np.asarray(clipped, float).reshape(-1, 2)
            found.append(_Piece(shape, shape.mean(axis=0), generator.uniform(-1, 1, 5)))
    return tuple(found)


def _flight(piece: _Piece, values: Values, width: int, height: int) -> _Flight:
    """Return where a piece is: those near the blow go first, and farthest."""
    force, seconds = values.force / 100, max(values.since_seconds, 0.0)
    chance = piece.chances
    struck = np.array([values.centre_x / 100 * width, values.centre_y / 100 * height])
    way = (piece.middle - struck) / width
    far = float(np.hypot(*way)) + 0.02
    late = max(0.0, seconds - 0.1 * far - 0.05 * abs(chance[4]))
    speed = force * 0.55 / (0.25 + far) * way / far + np.array([0.1 * chance[0], 0.06 * chance[1] - 0.12])
    shift = speed * late + np.array([0.0, 1.7 * values.gravity / 100 * late * late])
    turn = np.deg2rad(_CRACK * chance[2] + 1.5 * values.spin * chance[2] * late)
    tipped = np.cos(min(1.4, 2.4 * abs(chance[3]) * late * values.spin / 100))
    size = 1 + 0.9 * force * late * (0.5 + 0.5 * abs(chance[4]))
    cos, sin = np.cos(turn) * size, np.sin(turn) * size
    linear = np.array([[cos * tipped, -sin], [sin * tipped, cos]])
    return _Flight(np.column_stack([linear, piece.middle + shift * width - linear @ piece.middle]), size)


def _lay(ground: Picture, held: Picture, piece: _Piece, flight: _Flight, values: Values) -> None:
    """Lay a piece of the held picture over the ground, where it has come to."""
    height, width = ground.shape[:2]
    corners = piece.corners @ flight.matrix[:, :2].T + flight.matrix[:, 2]
    low = np.maximum(np.floor(corners.min(axis=0)).astype(int) - 2, 0)
    high = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 3, (width, height))
    wide, tall = (int(side) for side in high - low)
    if wide <= 1 or tall <= 1:
        return
    matrix = flight.matrix.copy()
    matrix[:, 2] -= low
    outline = np.rint((corners - low) * 2**_SUB_PIXELS).astype(np.int32)
    mask = np.zeros((tall, wide), np.uint8)
    cv2.fillConvexPoly(mask, outline, 255, cv2.LINE_AA, _SUB_PIXELS)
    part = cv2.warpAffine(held, matrix, (wide, tall), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    # A pane that leans catches more of the light, or less.
    gain = 1 + _LEANING * piece.chances[2]
    part = np.asarray(cv2.multiply(part, np.array([gain, gain, gain, 1.0])), np.uint8)
    glint = int(2.55 * values.edges * (0.25 + 0.5 * abs(piece.chances[3])))
    if glint:
        rim = np.zeros_like(part)
        thick = max(1, round(width * _LINE))
        cv2.polylines(rim, [outline], True, (glint, glint, glint, 0), thick, cv2.LINE_AA, _SUB_PIXELS)
        part = np.asarray(cv2.add(part, rim), np.uint8)
    if part.shape[2] == 4:
        part[..., :3] = np.minimum(part[..., :3], part[..., 3:])
    left = np.clip((values.amount / 100 - _WANING * abs(piece.chances[4])) / (1 - _WANING), 0, 1)
    weight = mask.astype(np.float32) * np.float32(left / 255)
    spot = ground[low[1] : high[1], low[0] : high[0]]
    spot[:] = cv2.blendLinear(part, np.ascontiguousarray(spot), weight, 1 - weight)
