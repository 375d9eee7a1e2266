"""Palette: the picture in a few colours of its own shot."""

from collections.abc import Sequence
from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, AlphaRule, Mix, Operation
from epiphane.effects.pixels import turned_share
from epiphane.types import Picture, Plane

_FAR = 1_000_000
"""Frames away: never left is the shot, so these are its first and its last one."""
_SAMPLE = (64, 36)
_CELLS = 32
_CHROMA_STEP, _LIGHTNESS, _APART = 14, 0.8, (1.35, 1.5, 1.5)
_DITHER = 0.9


def _echoes(values: Values) -> tuple[int, ...]:
    return () if values.amount == 0 else (-_FAR, _FAR)


@effect(
    key="palette",
    version=1,
    family=Family.COLOUR,
    label="Palette",
    group="Few colours",
    keywords="quantise poster dither pixel art gif limited colours risograph",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Colours", "", low=2, high=16, rest=5, peak=5, is_whole=True),
        Parameter("dither", "Dither", "%", low=0, high=100, rest=22, peak=22),
        Parameter("dot", "Dot", "% of width", low=0.1, high=3, rest=0.42, peak=0.42, help="Of the dither"),
    ),
    echoes=_echoes,
)
def palette(values: Values) -> Operation | tuple[Operation, ...]:
    """Paints the picture in a few colours found in its own shot, the same all through it."""
    if values.amount == 0:
        return NOTHING
    level, count = values.amount / 100, round(values.count)
    share = turned_share(np.arange(256) / 255, level).astype(np.float32)

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        samples = [cv2.resize(one, _SAMPLE, interpolation=cv2.INTER_AREA) for one in others or [picture]]
        colours = _palette_of(np.stack(samples).tobytes(), count)
        dot = max(1.0, values.dot / 100 * width) if values.dither else 1.0
        size = max(2, round(width / dot)), max(2, round(height / dot))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if dot > 1 else picture
        if values.dither:
            pattern = (_ordered(size) - np.float32(0.5)) * np.float32(_DITHER * values.dither)
            small = cv2.add(small, cv2.merge([pattern] * 3), dtype=cv2.CV_8U)
        cells = cv2.convertScaleAbs(small, alpha=(_CELLS - 1) / 255).astype(np.intp)
        index = (cells[..., 0] * _CELLS + cells[..., 1]) * _CELLS + cells[..., 2]
        table = np.zeros((256, 3), np.uint8)
        table[:count] = np.frombuffer(colours, np.uint8).reshape(-1, 3)
        painted = cv2.LUT(cv2.merge([_nearest(colours)[index]] * 3), table[None])
        painted = cv2.resize(painted, (width, height), interpolation=cv2.INTER_NEAREST)
        if level >= 1:
            return np.asarray(painted, np.uint8)
        weight = cv2.LUT(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY), share)
        return np.asarray(
            cv2.blendLinear(painted, np.ascontiguousarray(picture), weight, 1 - weight), np.uint8
        )

    return Mix(apply, AlphaRule.STAYS)


@lru_cache(maxsize=16)
def _palette_of(samples: bytes, count: int) -> bytes:
    """Return colours of small pictures, BGR, dark to light, uint8, (count, 3): means of groups in CIE Lab.

    Small vivid things would be lost among greys, so a point counts more often the more chroma it has; then
    they are set farther apart than means are, which are dull.
    """
    pictures = np.frombuffer(samples, np.uint8).reshape(1, -1, 3)
    points = cv2.cvtColor(pictures, cv2.COLOR_BGR2LAB)[0].astype(np.float32)
    chroma = np.hypot(points[:, 1] - 128, points[:, 2] - 128)
    points = np.repeat(points, 1 + (chroma / _CHROMA_STEP).astype(int), axis=0) * (_LIGHTNESS, 1, 1)
    cv2.setRNGSeed(1)
    criteria = cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.5
    groups = np.zeros((len(points), 1), np.int32)
    _, _, centres = cv2.kmeans(points.astype(np.float32), count, groups, criteria, 2, cv2.KMEANS_PP_CENTERS)
    means = np.asarray(centres[np.argsort(centres[:, 0])], float) / (_LIGHTNESS, 1, 1)
    apart = means.mean(axis=0) + (means - means.mean(axis=0)) * _APART
    found = np.clip(np.rint(apart), 0, 255).astype(np.uint8)[None]
    return np.asarray(cv2.cvtColor(found, cv2.COLOR_LAB2BGR), np.uint8).tobytes()


@lru_cache(maxsize=16)
def _nearest(colours: bytes) -> Plane:
    """Return which colour is nearest to each of 32^3, uint8, shape (32768,)."""
    steps = np.rint(np.arange(_CELLS) * 255 / (_CELLS - 1)).astype(np.uint8)
    every = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(1, -1, 3)
    own = np.frombuffer(colours, np.uint8).reshape(1, -1, 3)
    all_lab, own_lab = (cv2.cvtColor(one, cv2.COLOR_BGR2LAB)[0].astype(np.float32) for one in (every, own))
    distances = ((all_lab[:, None] - own_lab[None]) ** 2).sum(axis=-1)
    return np.asarray(distances.argmin(axis=1), np.uint8)


@lru_cache(maxsize=4)
def _ordered(size: tuple[int, int]) -> np.ndarray:
    """Return the thresholds of an ordered dither, float32, 0 to 1 (Bayer, An optimum method, 1973)."""
    tile = np.zeros((1, 1))
    for _ in range(3):
        tile = np.block([[4 * tile, 4 * tile + 2], [4 * tile + 3, 4 * tile + 1]])
    width, height = size
    return np.tile((tile / 64).astype(np.float32), (-(-height // 8), -(-width // 8)))[:height, :width]
