"""Operation fusion: neighbouring warps become one warp, neighbouring tones one rounding."""

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import TypeAlias

import numpy as np
from msgspec import Struct

from epiphane.effects.operations import (
    AddedLight,
    Blur,
    ChannelShift,
    Field,
    Filter,
    Grade,
    Mix,
    Operation,
    Tone,
    ToneCurve,
    Warp,
)
from epiphane.effects.shining import with_lights
from epiphane.media.colour import chain
from epiphane.render.nodes import Shown
from epiphane.types import Float32Array, FloatArray, Picture, Size

_IDENTITY_TONE = np.eye(3, 4)
_WAY_FOR_LIGHT = 0.012
"""In shares of the picture: of a shorter way light and levels look alike, and levels are quicker."""
_NEAR_IDENTITY, _NEAR_ZERO, _N_TERMS = 0.9, 0.5, 16
"""How far a matrix is from the identity at most, by its Frobenius norm, so that so many terms are enough."""


class Pass(Struct, frozen=True, eq=False):
    """A warp, then tones: what a run of operations comes to.

    Where a point goes does not depend on its colour nor the other way round, so all warps of a run
    become one (on the whole plane that the mirrored picture covers: the frame is cut out after the last), all
    tones follow it, and their order among themselves is kept. `smear` is how points move
    while the shutter is open, after the warp.
    """

    warp: FloatArray | None
    tones: tuple[Tone | ToneCurve, ...]
    smear: FloatArray | None = None

    @property
    def is_nothing(self) -> bool:
        """Whether it changes nothing."""
        return self.warp is None and self.smear is None and not self.tones


class Mixing(Struct, frozen=True, eq=False):
    """A mix, with the other pictures that it wants."""

    mix: Mix
    others: tuple[Shown, ...]


class Smear(Struct, frozen=True, eq=False):
    """A warp, and how points move while the shutter is open, blurred in linear light."""

    warp: FloatArray | None
    movement: FloatArray


Step: TypeAlias = Pass | Smear | Field | Blur | ChannelShift | Filter | Grade | Mixing


def steps_of(operations: Iterable[Operation | Mixing]) -> tuple[Step, ...]:
    """Return what to do in order; runs of warps and tones are one pass each, runs of grades one grade,
    and lights that follow each other are added at once.

    A warp makes means of neighbouring pixels, which may come before a tone as well as after it only if the
    tone is straight: after one that clips or bends it begins a pass of its own.
    """
    steps: list[Step] = []
    run: list[Warp | Tone | ToneCurve] = []
    lights: list[Callable[[Picture], Float32Array]] = []
    for operation in (*operations, None):
        if lights and not isinstance(operation, AddedLight):
            steps.append(Filter(partial(with_lights, lights=tuple(lights))))
            lights = []
        is_fusing = isinstance(operation, Warp | Tone | ToneCurve)
        if not is_fusing or (isinstance(operation, Warp) and not _is_straight(run)):
            steps += _steps_of_run(run)
            run = []
        if isinstance(operation, Warp | Tone | ToneCurve):
            run.append(operation)
        elif isinstance(operation, AddedLight):
            lights.append(operation.light)
        elif isinstance(operation, Mix):
            steps.append(Mixing(operation, ()))
        elif isinstance(operation, Grade) and steps and isinstance(steps[-1], Grade):
            steps[-1] = Grade((*steps[-1].steps, *operation.steps))
        elif operation is not None:
            steps.append(operation)
    return tuple(steps)


def _steps_of_run(run: Sequence[Warp | Tone | ToneCurve]) -> list[Step]:
    """Return the pass that a run is; what is blurred in light where it moves is so in a step of its own."""
    done = fuse(run)
    is_in_light = any(isinstance(one, Warp) and one.in_light for one in run)
    if done.smear is None or not is_in_light or farthest(done.smear, (1, 1)) < _WAY_FOR_LIGHT:
        return [] if done.is_nothing else [done]
    tones = [Pass(None, done.tones)] if done.tones else []
    return [Smear(done.warp, done.smear), *tones]


def fuse(operations: Iterable[Warp | Tone | ToneCurve]) -> Pass:
    """Return one pass that does the operations in their order."""
    warp: FloatArray | None = None
    later, shutter = np.eye(3), 0.0
    tones: list[Tone | ToneCurve] = []
    for operation in operations:
        if isinstance(operation, Warp):
            warp = operation.matrix if warp is None else operation.matrix @ warp
            later = (operation.matrix if operation.after is None else operation.after) @ later
            shutter = max(shutter, operation.shutter)
        elif tones:
            tones[-1:] = _as_one_tone(tones[-1], operation)
        else:
            tones.append(operation)
    smear = None if warp is None or shutter == 0 else _movement(warp, later, shutter)
    # Less than a hundredth of a pixel at 8K.
    if warp is not None and np.allclose(warp, np.eye(3), rtol=0, atol=1e-6):
        warp = None
    kept = tuple(t for t in tones if not (isinstance(t, Tone) and np.allclose(t.matrix, _IDENTITY_TONE)))
    return Pass(warp, kept, smear)


def _movement(now: FloatArray, later: FloatArray, shutter: float) -> FloatArray | None:
    """Return how points move while the shutter is open: a part of their way from this frame to the next."""
    whole = later @ np.linalg.inv(now)
    if np.allclose(whole / whole[2, 2], np.eye(3), rtol=0, atol=1e-5):
        return None
    return np.asarray(power_of(whole, shutter))


def begun_of(warp: FloatArray | None, smear: FloatArray) -> FloatArray:
    """Return the warp to where points are when the shutter opens, float64, shape (3, 3): it is centred."""
    begun = power_of(smear, -0.5)
    return begun if warp is None else np.asarray(begun @ warp)


def farthest(movement: FloatArray, size: Size) -> float:
    """Return how far a corner of a picture of a size goes at most by a movement, as of a warp, in pixels."""
    corners = np.array([[0, 1, 0, 1], [0, 0, 1, 1], [1] * 4], float)
    there = movement @ corners
    ways = (there[:2] / there[2] - corners[:2]) * np.array(size)[:, None]
    return float(np.hypot(*ways).max())


def power_of(matrix: FloatArray, exponent: float) -> FloatArray:
    """Return a real power of a matrix near the identity, of its shape: exp(exponent * log(matrix)).

    Parameters
    ----------
    matrix : float64, shape (n, n)
    exponent : float
        0 gives the identity, 1 the matrix itself.

    Returns
    -------
    float64, shape (n, n)
    """
    return np.asarray(np.real(_exponential(exponent * _logarithm(matrix))), np.float64)


def _exponential(matrix: FloatArray) -> FloatArray:
    """Return the exponential of a matrix: by its own series where that is short, ten times quicker there."""
    if np.linalg.norm(matrix) > _NEAR_ZERO:
        from scipy.linalg import expm  # late: it takes a tenth of a second to load

        return np.asarray(expm(matrix))
    power = total = np.eye(len(matrix))
    for number in range(1, _N_TERMS):
        power = power @ matrix / number
        total = total + power
    return total


def _logarithm(matrix: FloatArray) -> FloatArray:
    """Return the logarithm of a matrix: by Gregory's series near the identity, seventy times quicker there.

    log A = 2 artanh Z = 2 (Z + Z^3 / 3 + Z^5 / 5 + ...) with Z = (A - I) (A + I)^-1; see N. Higham,
    Functions of Matrices (2008), section 11.4.
    """
    one = np.eye(len(matrix))
    if np.linalg.norm(matrix - one) > _NEAR_IDENTITY:
        from scipy.linalg import logm

        return np.asarray(logm(matrix))
    power = (matrix - one) @ np.linalg.inv(matrix + one)
    square, total = power @ power, power
    for odd in range(3, 2 * _N_TERMS, 2):
        power = power @ square
        total = total + power / odd
    return 2 * total


def _as_one_tone(first: Tone | ToneCurve, then: Tone | ToneCurve) -> Sequence[Tone | ToneCurve]:
    """Return the two as one where that is exact, else as they are."""
    if isinstance(first, Tone) and isinstance(then, Tone):
        return [Tone(chain(first.matrix, then.matrix))] if _stays_inside(first.matrix) else [first, then]
    if isinstance(first, Tone) and not _is_diagonal(first.matrix):
        return [first, then]
    if isinstance(then, Tone) and not _is_diagonal(then.matrix):
        return [first, then]
    levels = np.clip(_apply(first, np.repeat(np.arange(256.0)[:, None], 3, axis=1)), 0, 255)
    return [ToneCurve(_apply(then, levels))]


def _is_straight(run: Iterable[Warp | Tone | ToneCurve]) -> bool:
    return all(isinstance(one, Warp) or (isinstance(one, Tone) and _stays_inside(one.matrix)) for one in run)


def _stays_inside(matrix: FloatArray) -> bool:
    """Whether no level leaves 0..255, so that nothing would have been clipped in between."""
    weights, offset = matrix[:, :3] * 255, matrix[:, 3]
    highest = np.maximum(weights, 0).sum(axis=1) + offset
    lowest = np.minimum(weights, 0).sum(axis=1) + offset
    return bool((highest <= 255.5).all() and (lowest >= -0.5).all())


def stays_inside(tones: Sequence[Tone | ToneCurve]) -> bool:
    """Whether the tones are at most one matrix that clips nothing."""
    return all(isinstance(tone, Tone) and _stays_inside(tone.matrix) for tone in tones) and len(tones) <= 1


def _is_diagonal(matrix: FloatArray) -> bool:
    square = matrix[:, :3]
    return bool(np.count_nonzero(square - np.diag(np.diag(square))) == 0)


def _apply(tone: Tone | ToneCurve, levels: FloatArray) -> FloatArray:
    """Return what levels, shape (n, 3), become; exact for curves at whole levels, else between."""
    if isinstance(tone, Tone):
        return np.asarray(levels @ tone.matrix[:, :3].T + tone.matrix[:, 3])
    whole = np.arange(256)
    return np.column_stack([np.interp(levels[:, c], whole, tone.table[:, c]) for c in range(3)])
