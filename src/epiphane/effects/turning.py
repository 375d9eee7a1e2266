"""Rotation matrices in normalised coordinates of a picture that is not square."""

import numpy as np

from epiphane.effects.operations import Warp
from epiphane.types import FloatArray


def direction(angle: float) -> FloatArray:
    """Return the unit vector at an angle, degrees clockwise from the right, float64, shape (2,)."""
    turn = np.deg2rad(angle)
    return np.array([np.cos(turn), np.sin(turn)])


def turned(
    angle: float,
    *,
    scale: float = 1.0,
    centre: tuple[float, float] = (0.5, 0.5),
    shift: tuple[float, float] = (0.0, 0.0),
    aspect: float,
) -> Warp:
    """Return the warp that turns clockwise (radians), enlarges about a point and then shifts.

    `centre` is in shares of the picture, `shift` in shares of its width both ways, `aspect` width by height.
    """
    cos, sin = scale * np.cos(angle), scale * np.sin(angle)
    turn = np.array([[cos, -sin, shift[0]], [sin, cos, shift[1]], [0, 0, 1.0]])
    return in_shares(turn, centre=centre, aspect=aspect)


def in_shares(matrix: FloatArray, *, centre: tuple[float, float], aspect: float) -> Warp:
    """Return a matrix about a point, in units of the width both ways, as a warp in shares of the picture.

    Parameters
    ----------
    matrix : float64, shape (3, 3), homogeneous
    centre : (float, float), in shares of the picture
    aspect : float, width / height
    """
    to_width = np.array([[1, 0, -centre[0]], [0, 1 / aspect, -centre[1] / aspect], [0, 0, 1.0]])
    return Warp(np.linalg.inv(to_width) @ matrix @ to_width)
