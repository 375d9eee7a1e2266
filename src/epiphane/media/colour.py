"""Exact matrices between the Y'CbCr of video files and the BGR that effects work in.

The usual library conversion darkens a picture by a level or two; if frames without an effect went
past it and the others through it, the picture would pulse on every beat. So both ways are ours.
Matrices are 3x4 and affine, for 8-bit values: ``out = M[:, :3] @ in + M[:, 3]``.
"""

from enum import Enum

import numpy as np
from msgspec import Struct

from epiphane.types import FloatArray


class Matrix(Enum):
    """Luma coefficients (Kr, Kb) of the standards."""

    BT601 = (0.299, 0.114)
    BT709 = (0.2126, 0.0722)
    BT2020 = (0.2627, 0.0593)


class ColourSpec(Struct, frozen=True):
    """Which Y'CbCr a picture is in."""

    matrix: Matrix
    is_full_range: bool


# Every export is this, and says so in its tags.
OUTPUT_SPEC = ColourSpec(Matrix.BT709, is_full_range=False)

# Values of AVColorSpace and AVColorRange (ITU-T H.273).
_MATRIX_OF_TAG = {
    1: Matrix.BT709,
    4: Matrix.BT601,
    5: Matrix.BT601,
    6: Matrix.BT601,
    9: Matrix.BT2020,
    10: Matrix.BT2020,
}
_FULL_RANGE = 2


def spec_of_tags(colorspace: int, color_range: int, *, n_lines: int) -> ColourSpec:
    """Return the spec that a frame's tags name; untagged pictures of 720 lines and up are BT.709."""
    untagged = Matrix.BT709 if n_lines >= 720 else Matrix.BT601
    return ColourSpec(_MATRIX_OF_TAG.get(colorspace, untagged), color_range == _FULL_RANGE)


def bgr_to_yuv(spec: ColourSpec) -> FloatArray:
    """Return the matrix from BGR to Y'CbCr, float64, shape (3, 4) (ITU-R BT.601, BT.709, BT.2020)."""
    kr, kb = spec.matrix.value
    kg = 1 - kr - kb
    luma = np.array([kb, kg, kr])
    blue = (np.array([1.0, 0, 0]) - luma) / (2 * (1 - kb))
    red = (np.array([0, 0, 1.0]) - luma) / (2 * (1 - kr))
    scale = (1.0, 1.0, 1.0) if spec.is_full_range else (219 / 255, 224 / 255, 224 / 255)
    offset = (0.0 if spec.is_full_range else 16.0, 128.0, 128.0)
    rows = np.stack([luma, blue, red]) * np.array(scale)[:, None]
    return np.column_stack([rows, offset])


def yuv_to_bgr(spec: ColourSpec) -> FloatArray:
    """Return the matrix from Y'CbCr to BGR, float64, shape (3, 4)."""
    return inverse(bgr_to_yuv(spec))


def inverse(matrix: FloatArray) -> FloatArray:
    """Return the affine inverse of a 3x4 matrix.

    Parameters
    ----------
    matrix : float64, shape (3, 4)
        What is multiplied, and in the last column what is then added.

    Returns
    -------
    float64, shape (3, 4)
    """
    back = np.linalg.inv(matrix[:, :3])
    return np.column_stack([back, -back @ matrix[:, 3]])


def chain(first: FloatArray, then: FloatArray) -> FloatArray:
    """Return the 3x4 matrix that does `first` and then `then`.

    Parameters
    ----------
    first, then : float64, shape (3, 4)

    Returns
    -------
    float64, shape (3, 4)
    """
    return np.column_stack([then[:, :3] @ first[:, :3], then[:, :3] @ first[:, 3] + then[:, 3]])
