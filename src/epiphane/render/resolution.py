"""The lowest sufficient resolution for each run of operations around a blur."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from epiphane.effects.operations import Blur, ChannelShift
from epiphane.effects.pixels import shrink_for, sigma_left
from epiphane.render.fuse import Pass, Step, stays_inside
from epiphane.render.warping import to_shares
from epiphane.types import FloatArray, Size


class ResolutionRun(Struct, frozen=True, eq=False):
    """Steps that are done one after the other at a size `shrink` times smaller than the picture's."""

    shrink: int
    steps: tuple[Step, ...]

    def size(self, size: Size) -> Size:
        """Return the size at which it is done, for a picture of some size."""
        return -(-size[0] // self.shrink), -(-size[1] // self.shrink)


def resolution_runs(steps: Sequence[Step], size: Size) -> tuple[ResolutionRun, ...]:
    """Divide steps, without changing their order, by the size that is enough for them.

    The strongest blur says how small; its neighbours join it as long as they cannot tell the difference:
    they move points or mix colours without clipping (both give the same on a picture and on its means), and
    do not enlarge what is blurred away so much that it would be missed, nor make the blur so small that
    its pixels would be seen.

    Parameters
    ----------
    steps : sequence of Step
    size : (width, height) of the picture, in pixels

    Returns
    -------
    At least one, however few steps there are.
    """
    sigmas = [step.sigma * size[0] if isinstance(step, Blur) else 0.0 for step in steps]
    strongest = int(np.argmax(sigmas)) if sigmas else 0
    shrink = shrink_for(sigmas[strongest], size) if sigmas else 1
    divisions: list[tuple[ResolutionRun, ...]] = [(ResolutionRun(1, tuple(steps)),)]
    while shrink > 1:
        divisions.append(_divided(steps, strongest, shrink, size))
        shrink //= 2
    return min(divisions, key=lambda division: _cost(division, size[0]))


def _cost(division: Sequence[ResolutionRun], width: int) -> float:
    """Return roughly how much work a division is: its steps, and the bringing together, by their pixels."""
    return sum((1 + _work(part, width)) / part.shrink**2 for part in division)


def _work(part: ResolutionRun, width: int) -> float:
    """Return the work of a stretch a pixel, in that of a warp; that of a blur grows with its width."""
    sigmas = [step.sigma * width / part.shrink for step in part.steps if isinstance(step, Blur)]
    return len(part.steps) + sum(sigmas) / 2


def _divided(steps: Sequence[Step], strongest: int, shrink: int, size: Size) -> tuple[ResolutionRun, ...]:
    """Return the steps with those around the strongest blur done at a smaller size."""
    blur = steps[strongest]
    assert isinstance(blur, Blur)
    sigma = blur.sigma * size[0]
    before, early = _joining_before(steps[:strongest], sigma, shrink, size)
    late, after = _joining_after(steps[strongest + 1 :], sigma, shrink, size)
    left = Blur(sigma_left(sigma, shrink) * shrink / size[0])
    return (
        *(resolution_runs(before, size) if before else ()),
        ResolutionRun(shrink, (*early, left, *late)),
        *(resolution_runs(after, size) if after else ()),
    )


def _joining_before(
    steps: Sequence[Step], sigma: float, shrink: int, size: Size
) -> tuple[Sequence[Step], Sequence[Step]]:
    """Return the steps before a blur: those at full size, and the last of them that may join it."""
    for number in range(len(steps) - 1, -1, -1):
        step = steps[number]
        if isinstance(step, Pass) and stays_inside(step.tones):
            sigma /= _scales(step.warp, size)[1]
        elif not isinstance(step, Blur | ChannelShift):
            return steps[: number + 1], steps[number + 1 :]
        if shrink_for(sigma, size) < shrink:
            return steps[: number + 1], steps[number + 1 :]
    return (), steps


def _joining_after(
    steps: Sequence[Step], sigma: float, shrink: int, size: Size
) -> tuple[Sequence[Step], Sequence[Step]]:
    """Return the steps after a blur: the first of them that may join it, and those at full size."""
    for number, step in enumerate(steps):
        if isinstance(step, Pass):
            sigma *= _scales(step.warp, size)[0]
        elif not isinstance(step, Blur | ChannelShift):
            return steps[:number], steps[number:]
        if shrink_for(sigma, size) < shrink:
            return steps[:number], steps[number:]
        if isinstance(step, Pass) and not stays_inside(step.tones):
            moving, colouring = Pass(step.warp, (), step.smear), Pass(None, step.tones)
            joined = () if moving.is_nothing else (moving,)
            return (*steps[:number], *joined), (colouring, *steps[number + 1 :])
    return steps, ()


def _scales(warp: FloatArray | None, size: Size) -> tuple[float, float]:
    """Return the least and the greatest number of times that a warp enlarges anything in a picture.

    They are the extreme singular values of its derivative, taken where a projective map has its extremes:
    at the corners. A map whose horizon crosses the picture enlarges without limit.
    """
    if warp is None:
        return 1.0, 1.0
    shares = to_shares(size)
    back = np.linalg.inv(shares) @ np.linalg.inv(warp) @ shares
    width, height = size
    values = []
    for x, y in ((0, 0), (width, 0), (0, height), (width, height)):
        across, down, depth = back @ (x, y, 1.0)
        if depth * back[2, 2] <= 0:
            return 0.0, np.inf
        slope = (back[:2, :2] - np.outer((across, down), back[2, :2]) / depth) / depth
        values += list(np.linalg.svd(slope, compute_uv=False))
    return 1 / max(values), 1 / min(values)
