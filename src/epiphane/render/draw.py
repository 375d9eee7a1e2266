"""From a plan to a picture: the one road for preview, export, stills and thumbnails."""

from collections.abc import Sequence
from typing import Protocol

import cv2
import numpy as np

from epiphane.effects.operations import Curve, Field, Filter, Mix, Operation, Tone
from epiphane.effects.registry import find_effect
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv, chain, yuv_to_bgr
from epiphane.media.raw import RawPicture
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.fuse import Pass, Step, power_of, stays_inside, steps_of
from epiphane.render.placing import placed_plane
from epiphane.render.plan import ActiveEffect, FramePlan, Shown, SourceFrame
from epiphane.types import Float32Array, FloatArray, Picture, Plane, Size

# A field is asked at every so many pixels, and is straight between them.
_FIELD_STEP = 8
_DOUBLINGS = 4

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
    first, later = _steps_of(plan)
    picture, decoding = _placed(plan, sources, size, first)
    return _done(_toned(picture, decoding, first.tones), later, _Others(plan, sources, size))


def draw_planes(plan: FramePlan, sources: Sources, size: Size) -> tuple[Plane, Plane, Plane]:
    """Return the picture of a plan as Y, Cb and Cr 4:2:0 in `OUTPUT_SPEC`, for export.

    What clips nothing never becomes BGR: warps move the planes of the file, and decoding, tone and
    encoding are one matrix, which for half of the picture's values works on a quarter of its pixels.
    Footage in this form without an effect goes through untouched. The rest takes the road of `draw`.
    """
    first, later = _steps_of(plan)
    if plan.source is not None and not later and stays_inside(first.tones):
        raw = sources.picture(plan.source)
        if len(raw.planes) == 3:
            return _recoded(_moved(raw, plan, size, first), raw, size, first.tones)
    picture, decoding = _placed(plan, sources, size, first)
    if not later:
        return planes_from_yuv444(_toned(picture, decoding, first.tones, encoding=bgr_to_yuv(OUTPUT_SPEC)))
    drawn = _done(_toned(picture, decoding, first.tones), later, _Others(plan, sources, size))
    return planes_from_yuv444(_transformed(drawn, bgr_to_yuv(OUTPUT_SPEC)))


def _recoded(
    planes: Sequence[Plane], raw: RawPicture, size: Size, tones: Sequence[Tone | Curve]
) -> tuple[Plane, Plane, Plane]:
    """Return planes at a size with at most one matrix done to their colours, as 4:2:0 output."""
    luma, *chroma = planes
    half = (size[0] // 2, size[1] // 2)
    blue, red = (_resized(plane, half, cv2.INTER_AREA) for plane in chroma)
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


def _resized(plane: Plane, size: Size, method: int) -> Plane:
    if plane.shape[:2] == (size[1], size[0]):
        return plane
    return np.asarray(cv2.resize(plane, size, interpolation=method), np.uint8)


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
    effect = find_effect(active.key)
    return effect is not None and any(isinstance(one, Mix) for one in effect.operations(active.values))


def _done(picture: Picture, steps: Sequence[Step], others: _Others) -> Picture:
    """Do to a picture what follows the first pass."""
    for step in steps:
        if isinstance(step, Mix):
            picture = step.apply(picture, others.next())
            continue
        if isinstance(step, Field):
            picture = _displaced(picture, step)
        elif isinstance(step, Filter):
            picture = step.apply(picture)
        else:
            picture = _toned(_moved_plane(picture, step), None, step.tones)
    return picture


def _displaced(picture: Picture, field: Field) -> Picture:
    """Show at every point what lies where a field says; it is smooth, so few points of it are asked."""
    height, width = picture.shape[:2]
    half_height = height / width
    # Points in the middle of cells of pixels, a cell more on every side: between them all is straight.
    across, down = (
        ((np.arange(-1, -(-n // _FIELD_STEP) + 1) + 0.5) * _FIELD_STEP - n / 2) * 2 / width
        for n in (width, height)
    )
    points = np.meshgrid(across.astype(np.float32), down.astype(np.float32))
    x, y = field.source(points[0], points[1], half_height)
    maps = [
        _every_pixel((part + edge) * (width / 2) - 0.5, (width, height))
        for part, edge in ((x, 1), (y, half_height))
    ]
    moved = cv2.remap(picture, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(moved, np.uint8)


def _every_pixel(cells: Float32Array, size: Size) -> Float32Array:
    """Return values for all pixels from those in the middle of cells, of which one lies beyond every edge."""
    rows, columns = cells.shape
    whole = (columns * _FIELD_STEP, rows * _FIELD_STEP)
    fine = cv2.resize(np.ascontiguousarray(cells, np.float32), whole, interpolation=cv2.INTER_LINEAR)
    cut = fine[_FIELD_STEP : _FIELD_STEP + size[1], _FIELD_STEP : _FIELD_STEP + size[0]]
    return np.ascontiguousarray(cut, np.float32)


def _steps_of(plan: FramePlan) -> tuple[Pass, tuple[Step, ...]]:
    operations: list[Operation] = []
    for active in plan.effects:
        effect = find_effect(active.key)
        if effect is not None:
            operations.extend(effect.operations(active.values, active.after))
    return steps_of(operations)


def _placed(plan: FramePlan, sources: Sources, size: Size, done: Pass) -> tuple[Picture, FloatArray | None]:
    """Return the source fitted and warped, and the matrix that brings it to BGR, if it needs one.

    Warping the planes of a file before they are joined moves half as many values, and leaves one
    colour matrix to do at the end.
    """
    if plan.source is None:
        return np.zeros((size[1], size[0], 3), np.uint8), None
    raw = sources.picture(plan.source)
    planes = _moved(raw, plan, size, done)
    if len(planes) == 1:  # premultiplied: what is left of the colours lies over black already
        return np.ascontiguousarray(planes[0][..., :3]), None
    full = [_resized(plane, size, cv2.INTER_NEAREST) for plane in planes]
    return np.asarray(cv2.merge(full), np.uint8), yuv_to_bgr(raw.spec)


def _moved(raw: RawPicture, plan: FramePlan, size: Size, done: Pass) -> list[Plane]:
    """Return the planes fitted to the size wanted, and warped."""
    planes = [
        placed_plane(plane, raw, size, plan.shape, plan.placing, is_chroma=number > 0)
        for number, plane in enumerate(raw.planes)
    ]
    return [_moved_plane(plane, done) for plane in planes]


def _moved_plane(plane: Plane, done: Pass) -> Plane:
    warped = plane if done.warp is None else _warped(plane, done.warp)
    return warped if done.smear is None else _smeared(warped, done.smear)


def _toned(
    picture: Picture,
    decoding: FloatArray | None,
    tones: Sequence[Tone | Curve],
    *,
    encoding: FloatArray | None = None,
) -> Picture:
    """Apply tones one after the other, and the `encoding` matrix last if there is one.

    The first tone may join the `decoding` matrix: what that one clips is blacker than black.
    """
    pending, is_decoding = decoding, True
    for tone in tones:
        if isinstance(tone, Curve):
            table = np.clip(np.rint(tone.table), 0, 255).astype(np.uint8)[None]
            picture = np.asarray(cv2.LUT(_transformed(picture, pending), table), np.uint8)
            pending = None
        elif pending is None or is_decoding:
            pending = tone.matrix if pending is None else chain(pending, tone.matrix)
        else:
            picture, pending = _transformed(picture, pending), tone.matrix
        is_decoding = False
    return _transformed(_transformed(picture, pending), encoding)


def _transformed(picture: Picture, matrix: FloatArray | None) -> Picture:
    return picture if matrix is None else np.asarray(cv2.transform(picture, matrix), np.uint8)


def _smeared(plane: Plane, smear: FloatArray) -> Plane:
    """Blur a plane along the way that its points go while the shutter is open.

    Doubling: each step halves what is there with itself moved on, so that four steps are sixteen samples.
    """
    n_steps = 2**_DOUBLINGS - 1
    done = _warped(plane, power_of(smear, -0.5))
    for number in range(_DOUBLINGS):
        moved = _warped(done, power_of(smear, 2**number / n_steps))
        done = np.asarray(cv2.addWeighted(done, 0.5, moved, 0.5, 0), np.uint8)
    return done


def _warped(plane: Plane, warp: FloatArray) -> Plane:
    """Move the points of a plane; `warp` is in shares of the picture, whatever the plane's size."""
    height, width = plane.shape[:2]
    # [share] = ([pixel] + 1/2) / [pixels]: the middle of a pixel is where its value is.
    to_share = np.array([[1 / width, 0, 0.5 / width], [0, 1 / height, 0.5 / height], [0, 0, 1]])
    back = np.linalg.inv(to_share) @ np.linalg.inv(warp) @ to_share
    corners = back @ np.array([[0, width - 1, 0, width - 1], [0, 0, height - 1, height - 1], [1] * 4])
    corners = corners[:2] / corners[2]
    is_covered = corners.min() >= 0 and (corners.max(axis=1) <= (width - 1, height - 1)).all()
    plane, flags = np.ascontiguousarray(plane), cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    # Nothing beyond the edge is seen of a covered picture, and not mirroring is a third quicker.
    border = cv2.BORDER_REPLICATE if is_covered else cv2.BORDER_REFLECT
    if np.abs(back[2] - (0, 0, 1)).max() < 1e-12:
        moved = cv2.warpAffine(plane, back[:2], (width, height), flags=flags, borderMode=border)
    else:
        moved = cv2.warpPerspective(plane, back, (width, height), flags=flags, borderMode=border)
    return np.asarray(moved, np.uint8)
