"""A picture that breaks like a pane: its pieces, how they fly, and how they are laid over what is behind."""

from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from msgspec import Struct

from epiphane.types import FloatArray, Picture, Size

_MARGIN, _SUB_PIXELS = 0.6, 4
_CRACK = 0.6
"""Degrees by which pieces are out of line at once."""
_WANING, _LEANING = 0.8, 0.35
_LINE = 1 / 700


class Blow(Struct, frozen=True):
    """How a pane is struck: where, %, how hard, and how its pieces look.

    `force`, `weight`, `spin` and `edges` are shares, mostly 0 to 1; there are `count` pieces or so.
    """

    x: float = 50.0
    y: float = 45.0
    count: int = 60
    force: float = 0.55
    weight: float = 1.0
    spin: float = 1.0
    edges: float = 0.6
    seed: int = 1


def broken(behind: Picture, pane: Picture, blow: Blow, *, seconds: float, left: float) -> Picture:
    """Return what is behind with the pieces of a pane over it, so many seconds after the blow.

    Parameters
    ----------
    behind, pane : uint8, shape (height, width, 3) or (height, width, 4), premultiplied
    left : float, 0 to 1
        How many of the pieces are still seen; they vanish one after the other.
    """
    height, width = behind.shape[:2]
    done = behind.copy()
    pieces = _pieces((width, height), blow.count, blow.x, blow.y, blow.seed)
    flights = [_flight(piece, blow, seconds, width, height) for piece in pieces]
    for piece, flight in sorted(zip(pieces, flights, strict=True), key=lambda pair: pair[1].size):
        waning = _WANING * abs(piece.chances[4])
        if left > waning:
            share = min((left - waning) / (1 - _WANING), 1.0)
            _lay(done, pane, piece, flight, edges=blow.edges, share=share)
    return done


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


def _flight(piece: _Piece, blow: Blow, seconds: float, width: int, height: int) -> _Flight:
    """Return where a piece is: those near the blow go first, and farthest."""
    force = blow.force
    chance = piece.chances
    struck = np.array([blow.x / 100 * width, blow.y / 100 * height])
    way = (piece.middle - struck) / width
    far = float(np.hypot(*way)) + 0.02
    late = max(0.0, seconds - 0.1 * far - 0.05 * abs(chance[4]))
    speed = force * 0.55 / (0.25 + far) * way / far + np.array([0.1 * chance[0], 0.06 * chance[1] - 0.12])
    shift = speed * late + np.array([0.0, 1.7 * blow.weight * late * late])
    turn = np.deg2rad(_CRACK * chance[2] + 150 * blow.spin * chance[2] * late)
    tipped = np.cos(min(1.4, 2.4 * abs(chance[3]) * late * blow.spin))
    size = 1 + 0.9 * force * late * (0.5 + 0.5 * abs(chance[4]))
    cos, sin = np.cos(turn) * size, np.sin(turn) * size
    linear = np.array([[cos * tipped, -sin], [sin * tipped, cos]])
    return _Flight(np.column_stack([linear, piece.middle + shift * width - linear @ piece.middle]), size)


def _lay(
    ground: Picture, held: Picture, piece: _Piece, flight: _Flight, *, edges: float, share: float
) -> None:
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
    alpha = cv2.extractChannel(part, 3) if part.shape[2] == 4 else None
    part = cv2.convertScaleAbs(part, alpha=1 + _LEANING * piece.chances[2])
    glint = int(255 * edges * (0.25 + 0.5 * abs(piece.chances[3])))
    if glint:
        rim = np.zeros_like(part)
        thick = max(1, round(width * _LINE))
        cv2.polylines(rim, [outline], True, (glint, glint, glint, 0), thick, cv2.LINE_AA, _SUB_PIXELS)
        part = cv2.add(part, rim, dst=part)
    if alpha is not None:
        # Premultiplied: no channel is above its alpha.
        part = cv2.min(cv2.insertChannel(alpha, part, 3), cv2.merge([alpha] * 4))
    spot = ground[low[1] : high[1], low[0] : high[0]]
    weight = cv2.convertScaleAbs(mask, alpha=share) if share < 1 else mask
    weight = cv2.merge([weight] * part.shape[2])
    kept = cv2.multiply(spot, cv2.bitwise_not(weight), scale=1 / 255)
    cv2.add(cv2.multiply(part, weight, scale=1 / 255), kept, dst=spot)
