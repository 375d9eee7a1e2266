"""From a plan to a picture: the one road for preview, export, stills and thumbnails."""

from collections.abc import Sequence
from typing import Protocol

import cv2
import numpy as np
from msgspec import Struct

from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Blur, Curve, Field, Filter, Mix, Operation, Parting, Tone
from epiphane.effects.pixels import LEAST_SIGMA
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv, chain, yuv_to_bgr
from epiphane.media.raw import RawPicture
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.fuse import Pass, Step, stays_inside, steps_of
from epiphane.render.placing import placed_plane, plane_size
from epiphane.render.plan import ActiveEffect, FramePlan, Shown, SourceFrame
from epiphane.render.shrink import Stretch, stretches
from epiphane.render.warping import carried_out, displaced, parted
from epiphane.types import FloatArray, Picture, Pixels, Plane, Size

cv2.setNumThreads(1)  # frames are drawn beside each other, which beats dividing each of them
cv2.ocl.setUseOpenCL(False)


class Sources(Protocol):
    """Where pictures of footage come from."""

    def picture(self, source: SourceFrame) -> RawPicture:
        """Return the picture, or a placeholder that says why there is none."""
        ...


def draw(plan: FramePlan, sources: Sources, size: Size) -> Picture:
    """Return the picture of a plan.

    Parameters
    ----------
    plan : FramePlan
    sources : Sources
    size : (width, height) of the picture wanted, in pixels

    Returns
    -------
    Picture: uint8, shape (height, width, 3), BGR
    """
    drawn = _rounded(_made(plan, sources, size).settled())
    return _rounded(_resized(drawn, size, cv2.INTER_LINEAR))


def draw_planes(plan: FramePlan, sources: Sources, size: Size) -> tuple[Plane, Plane, Plane]:
    """Return the picture of a plan as Y, Cb and Cr 4:2:0 in `OUTPUT_SPEC`, for export.

    What clips nothing never becomes BGR: warps move the planes of the file, and decoding, tone and
    encoding are one matrix, which for half of the picture's values works on a quarter of its pixels.
    Footage in this form without an effect goes through untouched. The rest takes the road of `draw`.
    """
    only = _only_pass(_steps_of(plan))
    if plan.source is not None and only is not None and stays_inside(only.tones):
        raw = sources.picture(plan.source)
        if len(raw.planes) == 3:
            return _recoded(_moved(raw, plan, size, only), raw, size, only.tones)
    made = _toned(_made(plan, sources, size), [Tone(bgr_to_yuv(OUTPUT_SPEC))])
    encoded = _rounded(made.settled())
    if encoded.shape[:2] == (size[1], size[0]):
        return planes_from_yuv444(encoded)
    half = (size[0] // 2, size[1] // 2)
    whole, blue_half, red_half = (
        _rounded(_resized(plane, at, cv2.INTER_LINEAR))
        for plane, at in zip(cv2.split(encoded), (size, half, half), strict=True)
    )
    return whole, blue_half, red_half


def _only_pass(steps: Sequence[Step]) -> Pass | None:
    """Return the pass that is all there is to do, if it comes to that."""
    if not steps:
        return Pass(None, ())
    return steps[0] if len(steps) == 1 and isinstance(steps[0], Pass) else None


def _recoded(
    planes: Sequence[Plane], raw: RawPicture, size: Size, tones: Sequence[Tone | Curve]
) -> tuple[Plane, Plane, Plane]:
    """Return planes at a size with at most one matrix done to their colours, as 4:2:0 output."""
    luma, *chroma = planes
    half = (size[0] // 2, size[1] // 2)
    blue, red = (_rounded(_resized(plane, half, cv2.INTER_AREA)) for plane in chroma)
    if not tones and raw.spec == OUTPUT_SPEC:
        return luma, blue, red
    to_bgr = yuv_to_bgr(raw.spec)
    for tone in tones:
        assert isinstance(tone, Tone)
        to_bgr = chain(to_bgr, tone.matrix)
    matrix = chain(to_bgr, bgr_to_yuv(OUTPUT_SPEC))
    # Averaging four pixels and an affine matrix may change places, so colour is done at its own size.
    # All three rows are computed though one or two are used: OpenCV is quick for square matrices alone.
    small = cv2.merge([_resized(luma, half, cv2.INTER_AREA), blue, red])
    full = cv2.merge([luma, *(_resized(plane, size, cv2.INTER_NEAREST) for plane in (blue, red))])
    _, blue, red = (np.asarray(plane, np.uint8) for plane in cv2.split(cv2.transform(small, matrix)))
    return np.asarray(cv2.extractChannel(cv2.transform(full, matrix), 0), np.uint8), blue, red


class _Made(Struct, frozen=True, eq=False):
    """A picture on its way.

    `pending` is the matrix that is still to be done to its colours; while it `is_inside`, nothing of it
    would be clipped, so that what comes next may be joined to it.
    """

    pixels: Pixels
    pending: FloatArray | None = None
    is_inside: bool = True

    def settled(self) -> Pixels:
        """Return the pixels in BGR."""
        return _transformed(self.pixels, self.pending)


def _made(plan: FramePlan, sources: Sources, size: Size) -> _Made:
    """Return the picture of a plan, perhaps at a smaller size that loses nothing."""
    others = _Others(plan, sources, size)
    made: _Made | None = None
    for part in stretches(_steps_of(plan), size):
        steps = part.steps
        if made is None:
            made = _placed(plan, sources, part, size)
            steps = steps[1:] if steps and isinstance(steps[0], Pass) else steps
        else:
            made = _Made(_brought_to(made.settled(), part, size))
        for step in steps:
            made = _stepped(made, step, others)
    assert made is not None
    return made


def _brought_to(pixels: Pixels, part: Stretch, size: Size) -> Pixels:
    """Return pixels at the size of a stretch; a small one is done in floats, which costs little there."""
    if part.shrink == 1:
        return _resized(_rounded(pixels), size, cv2.INTER_LINEAR)
    if pixels.shape[:2] == (size[1], size[0]):
        return _resized(pixels, part.size(size), cv2.INTER_AREA).astype(np.float32)
    return _resized(pixels.astype(np.float32), part.size(size), cv2.INTER_LINEAR)


def _stepped(made: _Made, step: Step, others: "_Others") -> _Made:
    if isinstance(step, Pass):
        moving = Pass(step.warp, (), step.smear)
        moved = made if moving.is_nothing else _Made(carried_out(made.settled(), step))
        return _toned(moved, step.tones)
    pixels = made.settled()
    if isinstance(step, Blur):
        sigma = step.sigma * pixels.shape[1]
        if sigma < LEAST_SIGMA:
            return _Made(pixels)
        return _Made(np.asarray(cv2.GaussianBlur(pixels, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)))
    if isinstance(step, Parting):
        return _Made(parted(pixels, step))
    if isinstance(step, Field):
        return _Made(displaced(pixels, step))
    assert pixels.dtype == np.uint8
    picture = np.asarray(pixels, np.uint8)
    return _Made(step.apply(picture) if isinstance(step, Filter) else step.apply(picture, others.next()))


def _toned(made: _Made, tones: Sequence[Tone | Curve]) -> _Made:
    """Do tones one after the other, as few times as clipping in between allows."""
    for tone in tones:
        if isinstance(tone, Curve):
            table = np.clip(np.rint(tone.table), 0, 255).astype(np.uint8)[None]
            made = _Made(np.asarray(cv2.LUT(_rounded(made.settled()), table), np.uint8))
        elif made.is_inside:
            made = _Made(made.pixels, _chained(made.pending, tone.matrix), stays_inside([tone]))
        else:
            made = _Made(made.settled(), tone.matrix, stays_inside([tone]))
    return made


def _placed(plan: FramePlan, sources: Sources, part: Stretch, size: Size) -> _Made:
    """Return the source of a plan at the size of a stretch, fitted, and with its first pass done.

    Warping the planes of a file before they are joined moves half as many values. What brings them to BGR is
    pending: what that matrix clips is blacker than black, so the first tone may join it.
    """
    small = part.size(size)
    done = part.steps[0] if part.steps and isinstance(part.steps[0], Pass) else Pass(None, ())
    if plan.source is None:
        black = np.zeros((small[1], small[0], 3), np.uint8 if part.shrink == 1 else np.float32)
        return _toned(_Made(black), done.tones)
    raw = sources.picture(plan.source)
    to_bgr = yuv_to_bgr(raw.spec) if len(raw.planes) == 3 else None
    if part.shrink == 1:
        planes = _moved(raw, plan, small, done)
        pixels: Pixels = _joined([_rounded(_resized(plane, small, cv2.INTER_NEAREST)) for plane in planes])
    else:
        planes = [
            placed_plane(plane, raw, small, plan.shape, plan.placing, is_chroma=number > 0)
            for number, plane in enumerate(raw.planes)
        ]
        pixels = carried_out(_joined(planes).astype(np.float32), done)
    return _toned(_Made(pixels, to_bgr), done.tones)


def _moved(raw: RawPicture, plan: FramePlan, size: Size, done: Pass) -> list[Plane]:
    """Return the planes fitted to the size wanted, colours as much smaller as in the file, and moved."""
    planes = [
        placed_plane(plane, raw, plane_size(plane, raw, size), plan.shape, plan.placing, is_chroma=number > 0)
        for number, plane in enumerate(raw.planes)
    ]
    return [np.asarray(carried_out(plane, done), np.uint8) for plane in planes]


def _joined(planes: Sequence[Plane]) -> Picture:
    """Return planes as one picture; with alpha it is premultiplied, so it lies over black already."""
    if len(planes) == 1:
        return np.ascontiguousarray(planes[0][..., :3])
    return np.asarray(cv2.merge(planes), np.uint8)


class _Others:
    """The other pictures that the mixes of a plan want, in their order, drawn when it is their turn."""

    def __init__(self, plan: FramePlan, sources: Sources, size: Size) -> None:
        self._plan, self._sources, self._size = plan, sources, size
        self._waiting: list[tuple[Shown, ...]] | None = None

    def next(self) -> list[Picture]:
        """Return those of the next mix, as they are without effects."""
        if self._waiting is None:  # looked for only where there is a mix
            self._waiting = [active.others for active in self._plan.effects if _has_mix(active)]
        return [
            draw(FramePlan(one.source, self._plan.shape, placing=one.placing), self._sources, self._size)
            for one in self._waiting.pop(0)
        ]


def _has_mix(active: ActiveEffect) -> bool:
    effect = EFFECTS.find(active.key)
    return effect is not None and any(isinstance(one, Mix) for one in effect.operations(active.values))


def _steps_of(plan: FramePlan) -> tuple[Step, ...]:
    operations: list[Operation] = []
    for active in plan.effects:
        effect = EFFECTS.find(active.key)
        if effect is not None:
            operations.extend(effect.operations(active.values, active.after))
    return steps_of(operations)


def _chained(first: FloatArray | None, then: FloatArray) -> FloatArray:
    return then if first is None else chain(first, then)


def _transformed(pixels: Pixels, matrix: FloatArray | None) -> Pixels:
    return pixels if matrix is None else np.asarray(cv2.transform(pixels, matrix))


def _rounded(pixels: Pixels) -> Picture:
    if pixels.dtype == np.uint8:
        return np.asarray(pixels, np.uint8)
    return np.asarray(cv2.convertScaleAbs(np.maximum(pixels, 0)), np.uint8)


def _resized(pixels: Pixels, size: Size, method: int) -> Pixels:
    if pixels.shape[:2] == (size[1], size[0]):
        return pixels
    return np.asarray(cv2.resize(pixels, size, interpolation=method))
