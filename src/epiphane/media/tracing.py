"""Tracing a subject: GrabCut from a box and strokes, then carried from picture to picture by its movement.

GrabCut is Rother, Kolmogorov & Blake, SIGGRAPH 2004; the movement is DIS flow (Kroeger et al., ECCV 2016),
taken from inside the subject alone and carried outwards past its edge.
"""

import math
from collections.abc import Sequence
from typing import Any, cast

import cv2
import numpy as np

from epiphane.document.matte import MatteMark
from epiphane.types import Float32Array, Picture, Plane

LINES = 540
"""How high pictures are that are traced; a matte is smooth between their pixels."""
_USUAL, _LARGEST = 240.0, 400
"""How large the subject is in the window around it in which movement is looked for, and how large that is."""
_BAND = 5
"""Pixels on either side of a carried edge in which GrabCut looks for it anew."""
_SEED = 7


def begun(picture: Picture, mark: MatteMark, before: Float32Array | None = None) -> Float32Array:
    """Return the subject of a picture by what was marked on it.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), BGR
    before : float32, shape (height, width), 0 to 1, or None
        What was carried here: a mark without a box corrects it.

    Returns
    -------
    float32, shape (height, width), 0 to 1
    """
    height, width = picture.shape[:2]
    labels = np.full((height, width), cv2.GC_BGD, np.uint8)
    if mark.box is not None:
        left, top, right, bottom = mark.box
        x0, x1 = sorted((round(left * width), round(right * width)))
        y0, y1 = sorted((round(top * height), round(bottom * height)))
        labels[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)] = cv2.GC_PR_FGD
    elif before is not None:
        labels = _labels_about(before > 0.5, round(_CORRECTED * height))
    for stroke in mark.strokes:
        centre = round(stroke.x * width), round(stroke.y * height)
        sure = cv2.GC_FGD if stroke.is_subject else cv2.GC_BGD
        cv2.circle(labels, centre, max(1, round(stroke.radius * height)), sure, -1)
    return _grab_cut(picture, labels, 4)


_CORRECTED = 0.03
"""How far from its edge, in shares of the height, a carried matte may be corrected."""


def carried(
    before: Picture, now: Picture, matte: Float32Array, expected: tuple[float, float] = (0.0, 0.0)
) -> Float32Array:
    """Return a matte of the picture before as it lies on the picture now.

    Parameters
    ----------
    before, now : uint8, shape (height, width, 3), BGR
    matte : float32, shape (height, width), 0 to 1
    expected : (across, down), in pixels
        How far the subject went from the picture before that one to it, as `way_between` tells.
    """
    shift = _leap(before, now, matte, expected)
    if shift != (0, 0):  # farther than flow finds: both are moved there first
        before, matte = _shifted(before, shift), np.asarray(_shifted(matte, shift), np.float32)
    window = _window(matte)
    if window is None:
        return matte
    x0, y0, x1, y1, scale = window
    size = max(16, round((x1 - x0) * scale)), max(16, round((y1 - y0) * scale))

    def cut_out(pixels: np.ndarray) -> np.ndarray:
        how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
        return np.asarray(cv2.resize(pixels[y0:y1, x0:x1], size, interpolation=how))

    first, second, part = cut_out(before), cut_out(now), cut_out(matte)
    greys = [np.asarray(cv2.cvtColor(one, cv2.COLOR_BGR2GRAY), np.uint8) for one in (first, second)]
    way = _movement_of(greys[0], greys[1], np.asarray(part > 0.5, np.uint8))
    places = _places(size)
    there = way
    for _ in range(2):  # the movement of what arrives at a place, not of what leaves it
        there = _at(way, places - there)
    moved = _at(part, places - there)
    refined = _refined(second, moved.astype(np.float32))
    whole = np.zeros_like(matte)
    back = cv2.resize(refined, (x1 - x0, y1 - y0), interpolation=cv2.INTER_LINEAR)
    whole[y0:y1, x0:x1] = np.clip(back, 0, 1)
    return whole


def way_between(first: Float32Array, second: Float32Array) -> tuple[float, float]:
    """Return how far the middle of a matte has gone to that of another, across and down, in pixels.

    Parameters
    ----------
    first, second : float32, shape (height, width), 0 to 1

    Returns
    -------
    (across, down), in pixels to the right and down
    """
    middles = []
    for matte in (first, second):
        moments = cv2.moments(matte)
        if moments["m00"] <= 0:
            return 0.0, 0.0
        middles.append((moments["m10"] / moments["m00"], moments["m01"] / moments["m00"]))
    (x0, y0), (x1, y1) = middles
    return x1 - x0, y1 - y0


_LEAP_SIDE, _LEAP_REACH, _LEAST_LEAP = 32.0, 1.5, 0.2
"""The side in pixels to which a subject is brought when it is looked for afar, how far that is, and from
where on flow is not trusted to find it, both in sides of the subject."""
_STRAY = 400.0
"""Squared levels that a place must match better for each side, squared, that it is off what is expected."""


def _leap(
    before: Picture, now: Picture, matte: Float32Array, expected: tuple[float, float]
) -> tuple[int, int]:
    """Return how far a subject has leapt, across and down, in whole pixels; (0, 0) where flow will find it.

    The place where its own pixels match best, near the expected one (template matching).
    """
    rows, columns = np.nonzero(matte > 0.5)
    if not len(rows):
        return 0, 0
    height, width = matte.shape
    x0, x1, y0, y1 = columns.min(), columns.max() + 1, rows.min(), rows.max() + 1
    side = math.sqrt((x1 - x0) * (y1 - y0))
    reach = _LEAP_REACH * side + 0.5 * math.hypot(*expected)
    left, right = (int(expected[0] + way) for way in (-reach, reach))
    up, down = (int(expected[1] + way) for way in (-reach, reach))
    area = max(0, x0 + left), max(0, y0 + up), min(width, x1 + right), min(height, y1 + down)
    scale = min(1.0, _LEAP_SIDE / side)

    def small(pixels: np.ndarray, box: tuple[int, int, int, int]) -> np.ndarray:
        part = pixels[box[1] : box[3], box[0] : box[2]]
        size = max(1, round(part.shape[1] * scale)), max(1, round(part.shape[0] * scale))
        return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)

    if area[2] - area[0] < x1 - x0 or area[3] - area[1] < y1 - y0:
        return 0, 0
    template, mask = small(before, (x0, y0, x1, y1)), small(matte, (x0, y0, x1, y1))
    region = small(now, area)
    if region.shape[0] < template.shape[0] or region.shape[1] < template.shape[1] or mask.sum() < 1:
        return 0, 0
    matched = cv2.matchTemplate(region, template, cv2.TM_SQDIFF, mask=cv2.merge([mask] * 3))
    unlike = np.asarray(matched, np.float32) / np.float32(3 * float((mask**2).sum()))
    across = (np.arange(unlike.shape[1]) / scale + area[0] - x0) - expected[0]
    downwards = (np.arange(unlike.shape[0]) / scale + area[1] - y0) - expected[1]
    away = (across[None] ** 2 + downwards[:, None] ** 2) / side**2
    _, _, (column, row), _ = cv2.minMaxLoc(unlike + np.asarray(_STRAY * away, np.float32))
    shift = round(column / scale + area[0] - x0), round(row / scale + area[1] - y0)
    return shift if math.hypot(*shift) > _LEAST_LEAP * side else (0, 0)


def _shifted(pixels: np.ndarray, shift: tuple[int, int]) -> np.ndarray:
    """Return pixels moved by whole ones; beyond the edge it is repeated, or 0 of a matte."""
    matrix = np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])
    border = cv2.BORDER_REPLICATE if pixels.ndim == 3 else cv2.BORDER_CONSTANT
    size = pixels.shape[1], pixels.shape[0]
    moved = cv2.warpAffine(pixels, matrix, size, flags=cv2.INTER_NEAREST, borderMode=border)
    return np.asarray(moved)


def _window(matte: Float32Array) -> tuple[int, int, int, int, float] | None:
    """Return the box around a subject in which it is carried, and how much larger it is made there."""
    rows, columns = np.nonzero(matte > 0.5)
    if not len(rows):
        return None
    height, width = matte.shape
    x0, x1, y0, y1 = columns.min(), columns.max() + 1, rows.min(), rows.max() + 1
    side = math.sqrt((x1 - x0) * (y1 - y0))
    margin = int(0.45 * side) + 8
    x0, x1 = max(0, x0 - margin), min(width, x1 + margin)
    y0, y1 = max(0, y0 - margin), min(height, y1 + margin)
    scale = min(_USUAL / side, 2.0, _LARGEST / max(x1 - x0, y1 - y0))
    return int(x0), int(y0), int(x1), int(y1), float(scale)


def _movement_of(first: Plane, second: Plane, subject: Plane) -> Float32Array:
    """Return the movement of a subject from one grey picture to the next, also past its edge, in pixels."""
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    start = cast(Any, None)  # a flow to begin with, of which there is none
    forth = np.asarray(flow.calc(first, second, start), np.float32)
    back = np.asarray(flow.calc(second, first, start), np.float32)
    places = _places(first.shape[::-1])
    doubt = np.hypot(*np.moveaxis(forth + _at(back, places + forth), -1, 0))
    edge = max(2, int(min(first.shape) * 0.02))
    inside = cv2.erode(subject, np.ones((2 * edge + 1, 2 * edge + 1), np.uint8))
    inside = inside if inside.sum() > 0.15 * subject.sum() else subject
    sure = (inside * (doubt < 1 + 0.05 * np.hypot(forth[..., 0], forth[..., 1]))).astype(np.float32)
    return _outwards(forth, sure if sure.sum() >= 30 else inside.astype(np.float32))


def _outwards(flow: Float32Array, weights: Float32Array) -> Float32Array:
    """Return a flow carried outwards from where it has weights: blurs of growing width, each normalised."""
    made = np.zeros_like(flow)
    has = np.zeros(flow.shape[:2], np.float32)
    for reach in (3, 7, 15, 31, 63):
        kernel = (2 * reach + 1, 2 * reach + 1)
        total = cv2.blur(weights, kernel)
        mean = cv2.blur(flow * weights[..., None], kernel) / (total + 1e-6)[..., None]
        share = np.clip(total * 8 - 0.2, 0, 1) * (1 - has)
        made += mean * share[..., None]
        has += share
    mean_of_all = (flow * weights[..., None]).sum(axis=(0, 1)) / (weights.sum() + 1e-6)
    return np.asarray(made + (1 - has)[..., None] * mean_of_all, np.float32)


def _refined(picture: Picture, matte: Float32Array) -> Float32Array:
    """Return a carried matte whose edge GrabCut has looked for within a narrow band of it."""
    subject = matte > 0.5
    labels = _labels_about(subject, _BAND)
    sure = labels == cv2.GC_FGD
    outside = labels == cv2.GC_BGD
    found = 0.5 * _grab_cut(picture, labels, 1) + 0.5 * matte
    found[sure], found[outside] = 1, 0
    levels = cv2.medianBlur((np.clip(found, 0, 1) * 255).astype(np.uint8), 5)
    smooth = np.asarray(levels, np.float32) / np.float32(255)
    has_jumped = abs(float(smooth.sum() - matte.sum())) > 0.1 * float(matte.sum())
    return matte if has_jumped else smooth


def _labels_about(subject: np.ndarray, reach: int) -> Plane:
    """Return GrabCut's labels: sure away from an edge by a reach in pixels, probable near it."""
    whole = subject.astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    labels = np.where(whole > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[cv2.erode(whole, kernel) > 0] = cv2.GC_FGD
    labels[cv2.dilate(whole, kernel) == 0] = cv2.GC_BGD
    return labels


def _grab_cut(picture: Picture, labels: Plane, n_times: int) -> Float32Array:
    """Return 1 where GrabCut finds the subject, near what is not surely background."""
    found = np.zeros(labels.shape, np.float32)
    rows, columns = np.nonzero(labels != cv2.GC_BGD)
    if not len(rows):
        return found
    y0, y1 = max(0, rows.min() - _PADDING), rows.max() + _PADDING
    x0, x1 = max(0, columns.min() - _PADDING), columns.max() + _PADDING
    part = labels[y0:y1, x0:x1].copy()
    is_mixed = np.isin(part, (cv2.GC_FGD, cv2.GC_PR_FGD))
    if is_mixed.any() and not is_mixed.all():
        cv2.setRNGSeed(_SEED)
        models = np.zeros((1, 65)), np.zeros((1, 65))
        pixels = np.ascontiguousarray(picture[y0:y1, x0:x1])
        cv2.grabCut(pixels, part, (0, 0, 1, 1), *models, n_times, cv2.GC_INIT_WITH_MASK)
    found[y0:y1, x0:x1] = part & 1
    return found


_PADDING = 24


def _places(size: Sequence[int]) -> Float32Array:
    """Return the place of each pixel of a size, float32, shape (height, width, 2)."""
    x, y = np.meshgrid(np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32))
    return np.stack([x, y], axis=-1)


def _at(values: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Return values where places say."""
    x, y = (np.ascontiguousarray(places[..., n], np.float32) for n in (0, 1))
    return np.asarray(cv2.remap(values, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
