"""How far footage has run at a speed, or along a curve of speeds: exact integrals in closed form.

Speeds are never summed frame by frame: a ramp over twelve frames would be off by a third of a frame.
"""

import bisect
from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.timeline import Ramp, SpeedKey
from epiphane.types import FloatArray

# Of each ramp, from 0 to 1: what share of the change is made, and the integral of that from 0.
_RAMPS: dict[Ramp, tuple[Callable[[Any], Any], Callable[[Any], Any]]] = {
    Ramp.HOLD: (lambda _: 0.0, lambda _: 0.0),
    Ramp.LINEAR: (lambda u: u, lambda u: u * u / 2),
    Ramp.IN: (lambda u: u * u, lambda u: u * u * u / 3),
    Ramp.OUT: (lambda u: u * (2 - u), lambda u: u * u - u * u * u / 3),
    Ramp.BOTH: (lambda u: u * u * (3 - 2 * u), lambda u: u * u * u * (2 - u) / 2),
}


class _Integral(Struct, frozen=True):
    """The frames of the keys of a curve, and how far the footage has run from the first key to each."""

    frames: tuple[int, ...]
    run: tuple[float, ...]


def frames_run(speed: float | tuple[SpeedKey, ...], frame: float) -> float:
    """Return how far footage has run from the curve's anchor to a frame.

    Parameters
    ----------
    speed : float or tuple of SpeedKey
        One speed, or a curve.
    frame : float, frames of the project
        Counted from the anchor; before it below 0.

    Returns
    -------
    float, in frames of the project at a speed of 1: divided by its rate, seconds of footage
    """
    if not isinstance(speed, tuple):
        return speed * frame
    return _run_from_first_key(speed, frame) - _run_from_first_key(speed, 0)


def runs_of(speed: float | tuple[SpeedKey, ...], frames: FloatArray) -> FloatArray:
    """Return how far footage has run from the curve's anchor to each of some instants: `frames_run` of each.

    Parameters
    ----------
    frames : float64, shape (n,), frames of the project from the anchor, ascending

    Returns
    -------
    float64, shape (n,)
    """
    if not isinstance(speed, tuple):
        return speed * frames
    made = np.empty(len(frames))
    edges = [0, *np.searchsorted(frames, [key.frame for key in speed]), len(frames)]
    for index, (first, end) in enumerate(pairwise(edges)):
        here = speed[max(index - 1, 0)]
        beyond = frames[first:end] - here.frame
        made[first:end] = _run_from_first_key(speed, here.frame) + here.speed * beyond
        if 0 < index < len(speed):
            following = speed[index]
            length, change = following.frame - here.frame, following.speed - here.speed
            made[first:end] += length * change * _RAMPS[here.ramp][1](beyond / length)
    return made - _run_from_first_key(speed, 0)


def ramp_share(ramp: Ramp, share: float) -> float:
    """Return what share of a change is made when a share of its way is over, 0 to 1."""
    return float(_RAMPS[ramp][0](share))


def speed_at(speed: float | tuple[SpeedKey, ...], frame: float) -> float:
    """Return the speed on a frame counted from the curve's anchor."""
    if not isinstance(speed, tuple):
        return speed
    index = bisect.bisect_right(speed, frame, key=lambda key: key.frame) - 1
    if index < 0 or index == len(speed) - 1:
        return speed[max(index, 0)].speed
    here, following = speed[index], speed[index + 1]
    share = (frame - here.frame) / (following.frame - here.frame)
    return here.speed + (following.speed - here.speed) * float(_RAMPS[here.ramp][0](share))


def turning_frames(speed: float | tuple[SpeedKey, ...]) -> list[float]:
    """Return where a curve passes through a standstill between two keys, in frames from its anchor."""
    if not isinstance(speed, tuple):
        return []
    turns = []
    for here, following in pairwise(speed):
        if here.speed * following.speed < 0 and here.ramp is not Ramp.HOLD:
            low, high = float(here.frame), float(following.frame)
            for _ in range(40):
                middle = (low + high) / 2
                is_before = speed_at(speed, middle) * here.speed > 0
                low, high = (middle, high) if is_before else (low, middle)
            turns.append(low)
    return turns


def monotone_parts(speed: float | tuple[SpeedKey, ...], first: int, end: int) -> Iterator[tuple[int, int]]:
    """Yield frames (first, last) counted from the anchor within which footage only runs on, or only back."""
    keys = [float(key.frame) for key in speed] if isinstance(speed, tuple) else []
    edges = {first, end - 1}
    for frame in (*keys, *turning_frames(speed)):
        edges |= {int(frame // 1), int(frame // 1) + 1}
    yield from pairwise(sorted(edge for edge in edges if first <= edge < end))


def shifted(speed: float | tuple[SpeedKey, ...], by: int) -> float | tuple[SpeedKey, ...]:
    """Return a curve whose keys lie some frames later from its anchor."""
    if not isinstance(speed, tuple) or by == 0:
        return speed
    return tuple(replace(key, frame=key.frame + by) for key in speed)


def scaled(speed: float | tuple[SpeedKey, ...], factor: float) -> float | tuple[SpeedKey, ...]:
    """Return a speed, or every speed of a curve, times a factor."""
    if not isinstance(speed, tuple):
        return speed * factor
    return tuple(replace(key, speed=key.speed * factor) for key in speed)


@lru_cache(maxsize=512)
def _integral(keys: tuple[SpeedKey, ...]) -> _Integral:
    run = [0.0]
    for here, following in pairwise(keys):
        change = (following.speed - here.speed) * _RAMPS[here.ramp][1](1.0)
        run.append(run[-1] + (following.frame - here.frame) * (here.speed + change))
    return _Integral(tuple(key.frame for key in keys), tuple(run))


def _run_from_first_key(keys: Sequence[SpeedKey], frame: float) -> float:
    integral = _integral(tuple(keys))
    index = bisect.bisect_right(integral.frames, frame) - 1
    if index < 0:
        return keys[0].speed * (frame - keys[0].frame)
    here = keys[index]
    beyond = frame - here.frame
    if index == len(keys) - 1:
        return integral.run[-1] + here.speed * beyond
    following = keys[index + 1]
    length = following.frame - here.frame
    eased = (following.speed - here.speed) * float(_RAMPS[here.ramp][1](beyond / length))
    return integral.run[index] + here.speed * beyond + length * eased
