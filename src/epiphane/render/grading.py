"""Grades, computed by OpenColorIO: one processor for all steps, kept by their values."""

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any, assert_never

import cv2
import numpy as np
from msgspec.structs import astuple, replace

from epiphane.declare.point_curves import CurveAcross, CurvePoints, curve_values
from epiphane.effects.operations import (
    ChannelCurves,
    ChannelMix,
    ColourCurves,
    Encoding,
    FileLook,
    Gain,
    GradeStep,
    LumaCurve,
    Power,
    Saturation,
)
from epiphane.effects.pixels import LUMA, saturation_matrix
from epiphane.media.look_files import look_fault, look_path
from epiphane.types import FloatArray, Picture

if TYPE_CHECKING:
    import PyOpenColorIO

_MOST_PROCESSORS = 64
_TABLE_SIZE, _CURVE_SIZE = 33, 4096
_MOST_TURN = 0.25  # of all hues


def graded(picture: Picture, steps: Sequence[GradeStep]) -> Picture:
    """Return a picture graded, within a level of what the steps come to in floats.

    The look of a file in part is mixed with what is before it, a level off at most for each of them. One that
    cannot be had leaves the picture as it is.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR
    steps : sequence of GradeStep
    """
    done = np.array(picture, np.uint8, order="C")
    for run in _runs(steps):
        share = run[0].share if isinstance(run[0], FileLook) else 1.0
        before = done if share == 1 else done.copy()
        _apply(done, tuple(replace(one, share=1.0) if isinstance(one, FileLook) else one for one in run))
        if share != 1:
            done = np.asarray(cv2.addWeighted(before, 1 - share, done, share, 0), np.uint8)
    return done


def _runs(steps: Sequence[GradeStep]) -> Iterator[list[GradeStep]]:
    """Yield steps that are one chain of floats: the look of a file in part is one of its own."""
    run: list[GradeStep] = []
    for step in steps:
        if isinstance(step, FileLook) and (step.share != 1 or look_fault(step.file)):
            yield from [run] if run else []
            run = []
            if not look_fault(step.file):
                yield [step]
        else:
            run.append(step)
    yield from [run] if run else []


def _apply(picture: Picture, steps: tuple[GradeStep, ...]) -> None:
    import PyOpenColorIO  # late: it takes a quarter of a second

    height, width, n_channels = picture.shape
    # It takes the three for red, green and blue: all that the steps hold is in the order of the picture.
    image = PyOpenColorIO.PackedImageDesc(
        picture, width, height, n_channels, PyOpenColorIO.BIT_DEPTH_UINT8, 1, n_channels, n_channels * width
    )
    _processor(steps).apply(image)


@lru_cache(maxsize=_MOST_PROCESSORS)
def _processor(steps: tuple[GradeStep, ...]) -> Any:
    import PyOpenColorIO

    depth = PyOpenColorIO.BIT_DEPTH_UINT8
    processor = PyOpenColorIO.Config.CreateRaw().getProcessor(chain_of(steps))
    return processor.getOptimizedCPUProcessor(depth, depth, PyOpenColorIO.OPTIMIZATION_DEFAULT)


def graded_levels(levels: FloatArray, steps: Sequence[GradeStep]) -> FloatArray:
    """Return colours graded in floats.

    Parameters
    ----------
    levels : float, shape (n, 3), BGR, 0 to 1
    steps : sequence of GradeStep

    Returns
    -------
    float64, shape (n, 3), BGR; may leave 0 to 1
    """
    import PyOpenColorIO

    done = np.array(levels, np.float32, order="C")
    for run in _runs(steps):
        share = run[0].share if isinstance(run[0], FileLook) else 1.0
        before = done.copy()
        whole = tuple(replace(one, share=1.0) if isinstance(one, FileLook) else one for one in run)
        processor = PyOpenColorIO.Config.CreateRaw().getProcessor(chain_of(whole))
        processor.getDefaultCPUProcessor().applyRGB(done)
        done = before + share * (done - before)
    return done.astype(np.float64)


def chain_of(steps: Sequence[GradeStep]) -> "PyOpenColorIO.GroupTransform":
    """Return steps as one transform of OpenColorIO, which takes blue for red and red for blue."""
    import PyOpenColorIO

    chain = PyOpenColorIO.GroupTransform()
    for step in steps:
        chain.appendTransform(_transform(step))
    return chain


def _transform(step: GradeStep) -> "PyOpenColorIO.Transform":
    import PyOpenColorIO

    match step:
        case Gain(factors=factors, offsets=offsets):
            return PyOpenColorIO.MatrixTransform(_rows(np.diag(factors)), [*offsets, 0.0])
        case ChannelMix() | Saturation():
            return PyOpenColorIO.MatrixTransform(_rows(_matrix(step)))
        case Power(exponents=exponents):
            clamped = PyOpenColorIO.NEGATIVE_CLAMP
            return PyOpenColorIO.ExponentTransform([*exponents, 1.0], negativeStyle=clamped)
        case ColourCurves():
            return _table(step)
        case FileLook():
            return _file(step)
        case LumaCurve() | ChannelCurves():
            return _of_luma(step.points) if isinstance(step, LumaCurve) else _curves(astuple(step))
        case _:
            assert_never(step)


def _matrix(step: ChannelMix | Saturation) -> FloatArray:
    return saturation_matrix(step.amount) if isinstance(step, Saturation) else np.array(astuple(step))


def _rows(matrix: FloatArray) -> list[float]:
    """Return a 3x3 matrix as the 16 numbers of one that leaves alpha alone."""
    whole = np.eye(4)
    whole[:3, :3] = matrix
    return [float(value) for value in whole.ravel()]


def _curves(curves: Sequence[CurvePoints]) -> "PyOpenColorIO.Lut1DTransform":
    """Return a curve for each of three components, 0 to 1; what is outside stays at their ends."""
    import PyOpenColorIO

    table = PyOpenColorIO.Lut1DTransform(_CURVE_SIZE, False)
    at = np.linspace(0, 1, _CURVE_SIZE)
    values = np.stack([curve_values(points, CurveAcross.LEVELS, at) for points in curves], axis=1)
    table.setData(values.astype(np.float32).ravel())
    return table


_APART = np.array([LUMA, [0.5, -0.5, 0.0], [0.0, -0.5, 0.5]])
"""Luma, and half of what blue and red have more than green."""
_MIDDLE = np.array([0.0, 0.5, 0.5])


def _of_luma(points: CurvePoints) -> "PyOpenColorIO.GroupTransform":
    """Return a curve of luma: to it and back, what the channels differ by left alone."""
    import PyOpenColorIO

    back = np.linalg.inv(_APART)
    group = PyOpenColorIO.GroupTransform()
    group.appendTransform(PyOpenColorIO.MatrixTransform(_rows(_APART), [*_MIDDLE, 0.0]))
    group.appendTransform(_curves((points, (), ())))
    group.appendTransform(PyOpenColorIO.MatrixTransform(_rows(back), [*(-back @ _MIDDLE), 0.0]))
    return group


def _table(step: ColourCurves) -> "PyOpenColorIO.Lut3DTransform":
    import PyOpenColorIO

    levels = np.linspace(0, 1, _TABLE_SIZE)
    colours = np.stack(np.meshgrid(levels, levels, levels, indexing="ij"), axis=-1)
    table = PyOpenColorIO.Lut3DTransform(_TABLE_SIZE)
    table.setInterpolation(PyOpenColorIO.INTERP_TETRAHEDRAL)
    table.setData(with_colour_curves(colours, step).astype(np.float32).ravel())
    return table


def with_colour_curves(colours: FloatArray, step: ColourCurves) -> FloatArray:
    """Return colours with hues turned and saturation changed, their luma kept.

    Parameters
    ----------
    colours : float64, shape (..., 3), BGR, 0 to 1
    step : ColourCurves

    Returns
    -------
    float64, the shape of `colours`; may leave 0 to 1
    """
    luma = (colours @ LUMA)[..., None]
    spread = np.ptp(colours, axis=-1, keepdims=True)
    hue = _hue(colours)[..., None]
    turn = _MOST_TURN * (2 * curve_values(step.hue, CurveAcross.HUES, hue) - 1)
    turned = colours if not step.hue else _of_hue(hue + turn) * spread
    turned = turned - (turned @ LUMA)[..., None]
    factor = 4 * curve_values(step.saturation, CurveAcross.HUES, hue)
    factor = factor * curve_values(step.luma_saturation, CurveAcross.LUMA, luma)
    return np.asarray(luma + factor * (1 + step.vibrance * (1 - spread)) * turned)


def _hue(colours: FloatArray) -> FloatArray:
    """Return hues as shares of a turn: red is 0, green a third, blue two thirds; of grey red's."""
    blue, green, red = np.moveaxis(colours, -1, 0)
    greatest, spread = colours.max(axis=-1), np.ptp(colours, axis=-1)
    by = np.where(spread > 0, spread, 1)
    of_red, of_green, of_blue = (green - blue) / by % 6, (blue - red) / by + 2, (red - green) / by + 4
    sixths = np.where(greatest == red, of_red, np.where(greatest == green, of_green, of_blue))
    return np.asarray(np.where(spread > 0, sixths / 6, 0.0))


def _of_hue(hue: FloatArray) -> FloatArray:
    """Return the pure colours of hues, blue, green and red of 0 to 1, shape (..., 3) for (..., 1)."""
    away = np.abs((hue - np.array([2 / 3, 1 / 3, 0.0]) + 0.5) % 1 - 0.5)
    return np.asarray(np.clip(2 - 6 * away, 0, 1))


def _file(look: FileLook) -> "PyOpenColorIO.GroupTransform":
    """Return the look of a file at full strength, blue and red exchanged before it and after it."""
    import PyOpenColorIO

    path = look_path(look.file)
    assert path is not None, "looks that are gone are left out before"
    group = PyOpenColorIO.GroupTransform()
    exchange = PyOpenColorIO.MatrixTransform(_rows(np.eye(3)[::-1]))
    group.appendTransform(exchange)
    for one in _to(look.expects):
        group.appendTransform(one)
    read = PyOpenColorIO.FileTransform(str(path))
    read.setCDLStyle(PyOpenColorIO.CDL_ASC)  # it clips as the standard says
    group.appendTransform(read)
    for one in reversed(_to(look.gives)):
        one.setDirection(PyOpenColorIO.TRANSFORM_DIR_INVERSE)
        group.appendTransform(one)
    group.appendTransform(exchange)
    return group


def _to(encoding: Encoding) -> list["PyOpenColorIO.Transform"]:
    """Return what makes another encoding of the picture's numbers, shown as ITU-R BT.1886 says."""
    import PyOpenColorIO

    light = PyOpenColorIO.ExponentTransform([_BT1886] * 3 + [1.0], PyOpenColorIO.NEGATIVE_CLAMP)
    match encoding:
        case Encoding.PICTURE:
            return []
        case Encoding.LINEAR:
            return [light]
        case Encoding.ACESCCT:
            group = PyOpenColorIO.GroupTransform()
            for style, is_back in _ACESCCT_STYLES:
                one = PyOpenColorIO.BuiltinTransform(style)
                if is_back:
                    one.setDirection(PyOpenColorIO.TRANSFORM_DIR_INVERSE)
                group.appendTransform(one)
            return [group]
        case _:
            assert_never(encoding)


_BT1886 = 2.4
_ACESCCT_STYLES = (
    ("DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709", True),
    ("UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD", True),
    ("ACEScct_to_ACES2065-1", True),
)
