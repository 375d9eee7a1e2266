"""Grades, computed by OpenColorIO: one processor for all steps, kept by their values."""

from collections.abc import Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any, assert_never

import numpy as np

from epiphane.effects.operations import ChannelMix, Gain, GradeStep, Power, Saturation, Vibrance
from epiphane.effects.pixels import LUMA, saturation_matrix
from epiphane.types import FloatArray, Picture

if TYPE_CHECKING:
    import PyOpenColorIO

_MOST_PROCESSORS = 64
_TABLE_SIZE = 33


def graded(picture: Picture, steps: Sequence[GradeStep]) -> Picture:
    """Return a picture graded, within a level of what the steps come to in floats.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR
    steps : sequence of GradeStep
    """
    import PyOpenColorIO  # late: it takes a quarter of a second

    height, width, n_channels = picture.shape
    done = np.array(picture, np.uint8, order="C")
    # It takes the three for red, green and blue: all that the steps hold is in the order of the picture.
    image = PyOpenColorIO.PackedImageDesc(
        done, width, height, n_channels, PyOpenColorIO.BIT_DEPTH_UINT8, 1, n_channels, n_channels * width
    )
    _processor(tuple(steps)).apply(image)
    return done


@lru_cache(maxsize=_MOST_PROCESSORS)
def _processor(steps: tuple[GradeStep, ...]) -> Any:
    import PyOpenColorIO

    chain = PyOpenColorIO.GroupTransform()
    for step in steps:
        chain.appendTransform(_transform(step))
    depth = PyOpenColorIO.BIT_DEPTH_UINT8
    processor = PyOpenColorIO.Config.CreateRaw().getProcessor(chain)
    return processor.getOptimizedCPUProcessor(depth, depth, PyOpenColorIO.OPTIMIZATION_DEFAULT)


def _transform(step: GradeStep) -> "PyOpenColorIO.Transform":
    import PyOpenColorIO

    match step:
        case Gain(factors=factors, offsets=offsets):
            return PyOpenColorIO.MatrixTransform(_rows(np.diag(factors)), [*offsets, 0.0])
        case Power(exponents=exponents):
            return PyOpenColorIO.ExponentTransform(
                [*exponents, 1.0], negativeStyle=PyOpenColorIO.NEGATIVE_CLAMP
            )
        case ChannelMix(blue=blue, green=green, red=red):
            return PyOpenColorIO.MatrixTransform(_rows(np.array([blue, green, red])))
        case Saturation(amount=amount):
            return PyOpenColorIO.MatrixTransform(_rows(saturation_matrix(amount)))
        case Vibrance(amount=amount):
            return _table(amount)
        case _:
            assert_never(step)


def _rows(matrix: FloatArray) -> list[float]:
    """Return a 3x3 matrix as the 16 numbers of one that leaves alpha alone."""
    whole = np.eye(4)
    whole[:3, :3] = matrix
    return [float(value) for value in whole.ravel()]


def _table(vibrance: float) -> "PyOpenColorIO.Lut3DTransform":
    import PyOpenColorIO

    levels = np.linspace(0, 1, _TABLE_SIZE)
    colours = np.stack(np.meshgrid(levels, levels, levels, indexing="ij"), axis=-1)
    luma = (colours @ LUMA)[..., None]
    factor = 1 + vibrance * (1 - np.ptp(colours, axis=-1, keepdims=True))
    table = PyOpenColorIO.Lut3DTransform(_TABLE_SIZE)
    table.setInterpolation(PyOpenColorIO.INTERP_TETRAHEDRAL)
    table.setData((luma + factor * (colours - luma)).astype(np.float32).ravel())
    return table
