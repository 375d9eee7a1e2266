"""Seconds, video frames and timecode: the one place where they are turned into one another.

The song runs in float seconds from its first sample, the picture in whole frames at an exact
rational rate. Frame n is on screen from n / rate until (n + 1) / rate.
"""

import math
from fractions import Fraction

import numpy as np

from epiphane.errors import ParameterError
from epiphane.types import FloatArray, IntArray
from epiphane.wording import tr

# A beat that was heard 0.1 ms before the first instant of a frame belongs to that frame: lossy
# formats smear an attack by that much, and it is less than a hundredth of a frame at 60 fps.
BOUNDARY_SECONDS = 0.00012

COMMON_RATES = tuple(
    Fraction(n, d)
    for n, d in (
        (24000, 1001),
        (24, 1),
        (25, 1),
        (30000, 1001),
        (30, 1),
        (50, 1),
        (60000, 1001),
        (60, 1),
    )
)

# By which footage is taken more or fewer times than it has pictures, and how much nearer that has to be.
_LARGEST_SIDE = 21
_FACTORS = ((1, 0.0), (2, 0.1), (Fraction(1, 2), 0.1))


def frame_at(seconds: float, rate: Fraction) -> int:
    """Return the number of the frame that is on screen at an instant.

    Parameters
    ----------
    seconds : float, seconds
        An instant; one less than `BOUNDARY_SECONDS` before a frame counts as that frame.
    rate : Fraction, frames / second, > 0

    Raises
    ------
    ParameterError
        If `seconds` is not finite.
    """
    if not math.isfinite(seconds):
        raise ParameterError(tr("seconds must be a finite time, got {seconds!r}", seconds=seconds))
    # [s] * [frame/s] = [frame]
    return math.floor((seconds + BOUNDARY_SECONDS) * rate.numerator / rate.denominator)


def frames_at(seconds: FloatArray, rate: Fraction) -> IntArray:
    """Return the number of the frame on screen at each instant: `frame_at` of an array.

    Parameters
    ----------
    seconds : float64, shape (n,), seconds, finite
    rate : Fraction, frames / second, > 0

    Returns
    -------
    int64, shape (n,)
    """
    exact = (seconds + BOUNDARY_SECONDS) * rate.numerator / rate.denominator
    return np.floor(exact).astype(np.int64)


def frame_start(frame: int, rate: Fraction) -> float:
    """Return the first instant of a frame, in seconds."""
    return frame * rate.denominator / rate.numerator


def frames_covering(duration: float, rate: Fraction) -> int:
    """Return how many frames it takes to cover a duration in seconds, the last one begun included."""
    return max(0, math.ceil((duration - BOUNDARY_SECONDS) * rate.numerator / rate.denominator))


def seconds_to_sample(seconds: float, sample_rate: int) -> int:
    """Return the sample nearest to an instant."""
    return round(seconds * sample_rate)


def timecode(frame: int, rate: Fraction) -> str:
    """Return ``m:ss.ff`` for a frame; ff counts the frames of the second."""
    whole = frame_at(max(0, frame) * rate.denominator / rate.numerator, Fraction(1))
    first_of_second = math.ceil(whole * rate)
    return f"{whole // 60}:{whole % 60:02d}.{max(0, frame) - first_of_second:02d}"


def clock_text(seconds: float) -> str:
    """Return ``m:ss`` or ``h:mm:ss`` for a duration in seconds."""
    whole = max(0, math.floor(seconds))
    hours, minutes = whole // 3600, whole % 3600 // 60
    head = f"{hours}:{minutes:02d}" if hours else f"{minutes}"
    return f"{head}:{whole % 60:02d}"


def aspect_text(width: int, height: int) -> str:
    """Return the shape of a picture as one reads it: ``16:9``, or ``2.39:1`` where that says less."""
    shared = math.gcd(width, height)
    across, down = width // shared, height // shared
    if max(across, down) <= _LARGEST_SIDE:
        return f"{across}:{down}"
    return f"{width / height:.2f}:1" if width >= height else f"1:{height / width:.2f}"


def parse_rate(text: str) -> Fraction:
    """Read a frame rate as ``30``, ``29.97`` or ``30000/1001``.

    Decimal forms of the broadcast rates mean those: 23.976, 29.97 and 59.94.

    Raises
    ------
    ParameterError
        If the text is no rate from 1 to 240 frames a second.
    """
    try:
        rate = Fraction(text)
    except (ValueError, ZeroDivisionError):
        raise ParameterError(
            tr("a frame rate is written as 30 or 30000/1001, got {words!r}", words=text)
        ) from None
    if not 1 <= rate <= 240:
        raise ParameterError(tr("a frame rate must be 1 to 240 frames a second, got {words}", words=text))
    return nearest_common_rate(rate)


def nearest_common_rate(rate: Fraction) -> Fraction:
    """Return the common rate within 0.01 % of `rate`, else `rate` with a small denominator."""
    for common in COMMON_RATES:
        if abs(rate / common - 1) < Fraction(1, 10_000):
            return common
    return rate.limit_denominator(1001)


def usual_rate(rate: Fraction) -> Fraction:
    """Return the common rate that suits footage of any rate: the nearest to it, to its double or its half.

    So 15 a second become 30, 120 become 60, and 27.019 become 25.
    """

    def distance(common: Fraction) -> float:
        return min(abs(math.log(rate * factor / common)) + cost for factor, cost in _FACTORS)

    return min(COMMON_RATES, key=distance)


def rate_text(rate: Fraction) -> str:
    """Return a rate as people write it: ``30``, ``29.97``."""
    return f"{float(rate):.3f}".rstrip("0").rstrip(".")
