"""The few kinds of operation that effects are made of, so that the renderer can fuse neighbours.

Positions are in shares of the picture: (0, 0) is its top left corner, (1, 1) the bottom right.
Levels are 8-bit values, 0 to 255, in BGR.
"""

from typing import TypeAlias

import numpy as np
from msgspec import Struct

from epiphane.types import FloatArray


class Warp(Struct, frozen=True, eq=False):
    """Move every point of the picture.

    `matrix` is float64, shape (3, 3), affine: a point p goes to ``matrix @ (x, y, 1)``. Beyond its
    edge the picture is mirrored, so no border shows.
    """

    matrix: FloatArray


class Tone(Struct, frozen=True, eq=False):
    """Change every colour by one affine matrix, float64, shape (3, 4), in BGR levels."""

    matrix: FloatArray


class Curve(Struct, frozen=True, eq=False):
    """Change every component by a curve of its own.

    `table` is float64, shape (256, 3): what each level of blue, green and red becomes; may leave
    0..255, and is rounded once at the end.
    """

    table: FloatArray


Operation: TypeAlias = Warp | Tone | Curve


def scale_about(scale: float, *, x: float, y: float) -> Warp:
    """Return the warp that enlarges the picture about a point, given in shares of the picture."""
    return Warp(np.array([[scale, 0, x - scale * x], [0, scale, y - scale * y], [0, 0, 1.0]]))


def diagonal_tone(gains: FloatArray, offsets: FloatArray) -> Tone:
    """Return the tone that multiplies and then adds to blue, green and red apart."""
    return Tone(np.column_stack([np.diag(gains), offsets]))
