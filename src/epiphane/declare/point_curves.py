"""Curves through points that the user sets: as text, and as what they come to."""

import math
from collections.abc import Iterable
from enum import Enum
from functools import lru_cache
from typing import TypeAlias

import numpy as np

from epiphane.types import FloatArray

CurvePoints: TypeAlias = tuple[tuple[float, float], ...]
"""Places across and up, both 0 to 1, ascending across."""

MOST_POINTS = 32
_DECIMALS, _APART = 4, 1e-3
LEVEL = 0.5
"""Where a curve that changes nothing stays, if what is across it is not what it makes anew."""


class CurveAcross(Enum):
    """What a curve runs over: levels it makes others of; or hues, which go round, or luma, for an amount."""

    LEVELS = "levels"
    HUES = "hues"
    LUMA = "luma"


def curve_points(text: str) -> CurvePoints | None:
    """Return the points of a text like ``0.25,0.2 0.75,0.9``; None where it is none.

    Of two points at one place the later one counts; what is outside 0 to 1 is brought to its edge.
    """
    found: dict[float, float] = {}
    for word in text.split():
        try:
            across, up = (float(number) for number in word.split(","))
        except ValueError:
            return None
        if not (math.isfinite(across) and math.isfinite(up)):
            return None
        found[round(min(max(across, 0.0), 1.0), _DECIMALS)] = round(min(max(up, 0.0), 1.0), _DECIMALS)
    return tuple(sorted(found.items())) if len(found) <= MOST_POINTS else None


def curve_text(points: Iterable[tuple[float, float]]) -> str:
    """Return points as `curve_points` reads them."""
    return " ".join(f"{round(across, _DECIMALS):g},{round(up, _DECIMALS):g}" for across, up in points)


def bent_in_part(text: str, across: CurveAcross, share: float) -> str:
    """Return a curve that is bent by a share of what `text` says: 0 is straight, 1 as it says."""
    points = curve_points(text) or ()
    if share == 1 or not points:
        return text

    def bent(x: float, y: float) -> float:
        flat = x if across is CurveAcross.LEVELS else LEVEL
        return flat + share * (y - flat)

    return curve_text((x, bent(x, y)) for x, y in points)


def curve_values(points: CurvePoints, across: CurveAcross, at: FloatArray) -> FloatArray:
    """Return the curve through points at some places: never beyond its points (Fritsch & Carlson, 1980).

    Parameters
    ----------
    points : CurvePoints
        One over levels goes from black to white besides where it has no point there; before its first and
        after its last point the others stay.
    across : CurveAcross
    at : float64, any shape
        Over hues it goes round at 1.

    Returns
    -------
    float64, the shape of `at`
    """
    flat = np.clip(at.ravel(), 0, 1) if across is not CurveAcross.HUES else at.ravel() % 1
    if not points:
        return (flat if across is CurveAcross.LEVELS else np.full(flat.shape, LEVEL)).reshape(at.shape)
    return np.asarray(_interpolator(_whole(points, across))(flat)).reshape(at.shape)


@lru_cache(maxsize=64)
def _interpolator(points: CurvePoints):  # type: ignore[no-untyped-def]  # SciPy has no types
    from scipy.interpolate import PchipInterpolator  # late: it takes a tenth of a second to load

    return PchipInterpolator(*np.array(points).T)


def _whole(points: CurvePoints, across: CurveAcross) -> CurvePoints:
    """Return the points with those that hold the curve at both ends."""
    if across is CurveAcross.HUES:  # 1 is the same hue as 0
        round_once = sorted({x % 1: y for x, y in points}.items())
        return tuple((x + turn, y) for turn in (-1, 0, 1) for x, y in round_once)
    (first, low), (last, high) = points[0], points[-1]
    ends = ((0.0, 0.0), (1.0, 1.0)) if across is CurveAcross.LEVELS else ((0.0, low), (1.0, high))
    before = () if first < _APART else ends[:1]
    after = () if last > 1 - _APART else ends[1:]
    whole = (*before, *points, *after)
    return whole if len(whole) > 1 else (*whole, (whole[0][0] + 1, whole[0][1]))
