"""Grades that are worked out: by a colour that is to be grey, white or black, or by another picture.

What is found are values of the controls of *Grade*, which stay to be changed. The others are left as they
are, and what they do is counted in: round by round the controls come nearer to what comes out right.
"""

from collections.abc import Mapping
from enum import Enum
from typing import NamedTuple, TypeAlias

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, ParameterValue
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Grade, GradeStep
from epiphane.effects.pixels import GAMMA, LUMA
from epiphane.render.grading import graded_levels
from epiphane.types import FloatArray, Picture

GradeValues: TypeAlias = Mapping[str, ParameterValue]
"""Values of the grade's controls at the peak, by their names."""

MATCHED = ("exposure", "warmth", "green", "contrast", "saturation")
"""The controls that a match sets."""
_N_ROUNDS = 24
_WHITE, _BLACK = 0.95, 0.02
_MOST_PIXELS = 64
_EDGE = 1e-4
_WARMTH, _GREEN, _LIFT = 0.35, 0.25, 0.25
"""What the most of these controls does to levels, as `docs/grade.md` says."""
_MOST_STEP = 1.6


class Statistics(NamedTuple):
    """What a match goes by.

    Attributes
    ----------
    light : float64, shape (3,), the mean of blue, green and red in linear light, 0 to 1
    spread : float, the standard deviation of luma
    saturation : float, the mean of the greatest less the least channel
    """

    light: FloatArray
    spread: float
    saturation: float


class Neutral(Enum):
    """What a colour that is picked is to become."""

    GREY = "grey"
    WHITE = "white"
    BLACK = "black"


def neutralised(colour: tuple[int, int, int], wanted: Neutral, values: GradeValues) -> dict[str, float]:
    """Return controls with which a colour becomes a grey: of its own luma, white, or black.

    Parameters
    ----------
    colour : blue, green and red, 0 to 255, before the grade
    wanted : Neutral
    values : of all controls of the grade as they are
    """
    levels = np.array([colour], float) / 255
    found = dict(values)
    for _ in range(_N_ROUNDS):
        (out,) = np.clip(graded_levels(levels, _steps(found)), _EDGE, 1)
        luma = float(LUMA @ out)
        if wanted is Neutral.BLACK:
            up = (_BLACK - luma) / max(1 - luma, _EDGE)
            _add(found, "shadows", 100 * up / _LIFT)
        else:
            _multiply(found, (luma if wanted is Neutral.GREY else _WHITE) / out)
    names = ("shadows",) if wanted is Neutral.BLACK else ("exposure", "warmth", "green")
    return {name: round(float(found[name]), 2) for name in names}


def matched(picture: Picture, other: Picture, values: GradeValues) -> dict[str, float]:
    """Return controls with which a picture has the light and colour of another one.

    The mean of each channel in linear light, the spread of luma and the mean saturation become the same, as
    far as the controls reach.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR, before the grade
    other : uint8, shape (height, width, 3), BGR
    values : of all controls of the grade as they are
    """
    return matched_to(statistics_of(few_levels(other)), few_levels(picture), values)


def matched_to(
    wanted: Statistics, levels: FloatArray, values: GradeValues, *, is_light_alone: bool = False
) -> dict[str, float]:
    """Return controls with which some colours have the light, contrast and saturation that are wanted.

    Parameters
    ----------
    wanted : Statistics
    levels : float64, shape (n, 3), BGR, 0 to 1, before the grade
    values : of all controls of the grade as they are
    is_light_alone : bool
        Leave contrast and saturation as they are: they tell as much of what is shown as of how it was shot.
    """
    found = dict(values)
    for _ in range(_N_ROUNDS):
        now = statistics_of(np.clip(graded_levels(levels, _steps(found)), 0, 1))
        if not is_light_alone:
            _scale(found, "contrast", wanted.spread / max(now.spread, _EDGE))
            _scale(found, "saturation", wanted.saturation / max(now.saturation, _EDGE))
        _multiply(found, (np.maximum(wanted.light, _EDGE) / np.maximum(now.light, _EDGE)) ** (1 / GAMMA))
    return {name: round(float(found[name]), 2) for name in MATCHED}


def _steps(values: GradeValues) -> tuple[GradeStep, ...]:
    done = EFFECTS.named("grade").operations(tuple(values.items()))
    return tuple(step for one in done if isinstance(one, Grade) for step in one.steps)


def few_levels(picture: Picture) -> FloatArray:
    """Return a picture as some thousand colours, float64, shape (n, 3), 0 to 1."""
    small = cv2.resize(picture, (_MOST_PIXELS, _MOST_PIXELS), interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float64).reshape(-1, 3) / 255


def statistics_of(levels: FloatArray) -> Statistics:
    """Return the statistics of colours, float64, shape (n, 3), BGR, 0 to 1."""
    light, spread = (levels**GAMMA).mean(axis=0), float((levels @ LUMA).std())
    return Statistics(light, spread, float(np.ptp(levels, axis=1).mean()))


def _multiply(values: dict[str, ParameterValue], factors: FloatArray) -> None:
    """Have exposure and white balance multiply levels by further factors of blue, green and red."""
    factors = np.clip(factors, 1 / _MOST_STEP, _MOST_STEP)
    warmth, green = (float(values[name]) / 100 for name in ("warmth", "green"))
    blue, middle, red = factors * (1 - _WARMTH * warmth, 1 + _GREEN * green, 1 + _WARMTH * warmth)
    # Red and blue are 1 + and 1 - the warmth's part: what they have in common is exposure's.
    common = (red + blue) / 2
    _set(values, "warmth", 100 * (red - blue) / (red + blue) / _WARMTH)
    _set(values, "green", 100 * (middle / common - 1) / _GREEN)
    gain = float(LUMA @ (blue, middle, red)) / float(LUMA @ (np.array([blue, middle, red]) / factors))
    _add(values, "exposure", GAMMA * float(np.log2(gain)))


def _scale(values: dict[str, ParameterValue], name: str, factor: float) -> None:
    _set(values, name, float(values[name]) * min(max(factor, 1 / _MOST_STEP), _MOST_STEP))


def _add(values: dict[str, ParameterValue], name: str, amount: float) -> None:
    _set(values, name, float(values[name]) + amount)


def _set(values: dict[str, ParameterValue], name: str, value: float) -> None:
    parameter = EFFECTS.named("grade").parameter(name)
    assert isinstance(parameter, Parameter)
    values[name] = min(max(value, parameter.low), parameter.high)
