"""The weight of a landing, and how a title moves while it stands: its place, and what is thrown from it."""

from __future__ import annotations

import math

import cv2
import numpy as np
from msgspec import Struct

from epiphane.document.titles import Impact, Standing, TitleLook
from epiphane.facts.titles import IMPACT_SECONDS, TitleClock
from epiphane.titles.coverage import EMPTY, Box, Ink
from epiphane.titles.layout import Block
from epiphane.titles.sparks import dust_of, sparks_of
from epiphane.titles.sprites import add_sprite
from epiphane.types import FloatArray, Plane, Size

_SWINGS = 1.5
"""How often a squashed title swings before it is still."""
_SHAKES_A_SECOND = 13.0
_SETTLING = 0.5
"""Seconds in which trembling begins, so that it does not jump."""
_GRAVITY = 9.0  # sizes per second squared
_SLOWED = 2.2  # of its speed that a particle loses in a second, as an exponent
_FRACTION = 4  # binary digits of a pixel in which lines are drawn


class Thrown(Struct, frozen=True, eq=False):
    """What is thrown from a landing: coverages, and the boxes outside which they are nothing."""

    dust: Plane
    dust_box: Box
    pieces: Plane
    pieces_box: Box
    heads: Plane | None = None
    """Of sparks: what is white of them."""


def standing_place(place: FloatArray, block: Block, look: TitleLook, clock: TitleClock) -> FloatArray:
    """Return the place of a landed title: squashed and shaken by that, drifting, trembling, breathing.

    Both are matrices, float64, shape (3, 3), from sizes of the letters to pixels.
    """
    if clock.since > 0 and look.stand is not None:
        place = place @ _stood(look.stand, clock.since)
    if look.impact is not None and (clock.since > 0 or _is_landing(clock)):
        place = place @ _struck(look.impact, block.height / 2, clock.since)
    return place


def _is_landing(clock: TitleClock) -> bool:
    return clock.arrived is None and clock.left is None


def _stood(stand: Standing, seconds: float) -> FloatArray:
    """Return where a title is so many seconds after its landing, from where it landed."""
    begun = min(seconds / _SETTLING, 1.0) * stand.tremble
    x, y = (begun * _noise(stand.seed + axis, stand.rate * seconds) for axis in (0, 1))
    breath = 0.5 - 0.5 * math.cos(2 * math.pi * seconds / stand.breath)
    scale = max(0.01, (1 + stand.grow * seconds) * (1 + stand.breathe * breath))
    return np.array([[scale, 0, stand.x * seconds + x], [0, scale, stand.y * seconds + y], [0, 0, 1.0]])


def _noise(seed: int, at: float) -> float:
    """Return a smooth noise from -1 to 1 that goes once up and down, or so, in a unit."""
    first = math.floor(at)
    ends = [float(np.random.default_rng([seed, first + n + 1_000_000]).uniform(-1, 1)) for n in (0, 1)]
    share = at - first
    eased = share * share * (3 - 2 * share)
    return ends[0] + (ends[1] - ends[0]) * eased


def _struck(impact: Impact, half: float, seconds: float) -> FloatArray:
    """Return how a title is squashed on its foot, `half` below its middle, and shaken after its landing."""
    share = seconds * 30 / impact.frames
    if share >= 1:
        return np.eye(3)
    left = (1 - share) ** 2
    squash = impact.squash * left * math.cos(2 * math.pi * _SWINGS * share)
    across, down = 1 + 0.5 * squash, 1 - squash
    turns = 2 * math.pi * _SHAKES_A_SECOND * seconds
    chances = np.random.default_rng(impact.seed).uniform(0.7, 1.3, 2).tolist()
    x = impact.shake * left * math.sin(turns * chances[0])
    y = 0.6 * impact.shake * left * math.sin(turns * chances[1] + 1.0) if seconds > 0 else 0.0
    return np.array([[across, 0, x], [0, down, y + half * (1 - down)], [0, 0, 1.0]])


def thrown_from(
    impact: Impact, outline: FloatArray, block: Block, place: FloatArray, seconds: float, size: Size
) -> Thrown | None:
    """Return what is thrown so many seconds after a landing, or None when it has all gone.

    Parameters
    ----------
    outline : float64, shape (n, 2)
        Points of it, in sizes of the letters.
    """
    if not 0 <= seconds < IMPACT_SECONDS or not len(outline):
        return None
    if impact.filmed:
        return _filmed(impact, outline, block, place, seconds, size)
    chance = np.random.default_rng([impact.seed, 3])
    dust, dust_box = _dust(impact, outline, place, seconds, size, chance)
    pieces = np.zeros((size[1], size[0]), np.uint8)
    box = _lines(pieces, impact, outline, block, place, seconds, chance)
    box = box.joined(_particles(pieces, impact, outline, place, seconds, chance)).grown(0, size)
    return Thrown(dust, dust_box, pieces, box)


def _filmed(
    impact: Impact, outline: FloatArray, block: Block, place: FloatArray, seconds: float, size: Size
) -> Thrown:
    share = seconds / IMPACT_SECONDS
    dust, dust_box = dust_of(outline, place, share, size, thickness=impact.dust, seed=impact.seed)
    tails, heads, box = sparks_of(outline, place, seconds, size, number=impact.particles, seed=impact.seed)
    chance = np.random.default_rng([impact.seed, 3])
    box = box.joined(_lines(tails, impact, outline, block, place, seconds, chance)).grown(0, size)
    return Thrown(dust, dust_box, tails, box, heads)


def light_at(impact: Impact, seconds: float) -> float:
    """Return how much of its light is left so many seconds after a landing, 0 to 1."""
    share = seconds / _LIGHT_SECONDS
    return impact.light * (1 - share) ** 2 if 0 <= share < 1 else 0.0


_LIGHT_SECONDS = 0.7


def _particles(
    pieces: Plane,
    impact: Impact,
    outline: FloatArray,
    place: FloatArray,
    seconds: float,
    chance: np.random.Generator,
) -> Box:
    """Draw particles that fly off the outline, slowed by the air, and fall, as streaks; return their box."""
    number = impact.particles
    if not number:
        return EMPTY
    start = outline[chance.integers(0, len(outline), number)]
    away = start / np.maximum(np.hypot(start[:, 0], start[:, 1]), 0.3)[:, None]
    speed = chance.uniform(1.5, 7.0, (number, 1)) * (0.4 + np.abs(away))
    course = (away + chance.normal(0, 0.5, (number, 2))) * speed - (0, 1.5)
    life = chance.uniform(0.35, 0.95, number) * IMPACT_SECONDS
    width = chance.uniform(0.012, 0.035, number)

    def at(time: float) -> FloatArray:
        gone = (1 - math.exp(-_SLOWED * time)) / _SLOWED
        return np.asarray(start + course * gone + np.array([0, 0.5 * _GRAVITY * time**2]))

    return _streaks(pieces, place, at(max(0.0, seconds - 0.03)), at(seconds), width, 1 - seconds / life)


def _lines(
    pieces: Plane,
    impact: Impact,
    outline: FloatArray,
    block: Block,
    place: FloatArray,
    seconds: float,
    chance: np.random.Generator,
) -> Box:
    """Draw lines that shoot away from the middle in the first fifth of a second; return their box."""
    number = impact.lines
    turns = np.sort(chance.uniform(0, 2 * math.pi, number)) if number else np.zeros(0)
    lengths = chance.uniform(0.6, 2.2, number)
    share = seconds / _LINE_SECONDS
    if not number or share >= 1:
        return EMPTY
    ways = np.stack([np.cos(turns), np.sin(turns)], axis=1)
    reach = np.abs(outline).max(axis=0) + 0.25
    edge = ways * (1 / np.maximum(np.abs(ways) / reach, 1e-9).max(axis=1))[:, None]
    out = 1 - (1 - share) ** 3
    first, last = edge + ways * (lengths * out**2)[:, None], edge + ways * (lengths * (0.25 + out))[:, None]
    return _streaks(pieces, place, first, last, np.full(number, 0.03), np.full(number, 1 - share))


_LINE_SECONDS = 0.22


def _streaks(
    pieces: Plane,
    place: FloatArray,
    first: FloatArray,
    last: FloatArray,
    width: FloatArray,
    level: FloatArray,
) -> Box:
    """Draw lines between points in sizes of the letters, each of a width and a level; return their box."""
    em = float(np.hypot(place[0, 0], place[1, 0]))
    ends = np.stack([first, last], axis=1) @ place[:2, :2].T + place[:2, 2]
    whole = np.rint((np.clip(ends, -5000, 15_000) - 0.5) * 2**_FRACTION).astype(np.int32)
    box = EMPTY
    for line, thick, bright in zip(whole, width * em, level, strict=True):
        if bright <= 0:
            continue
        pixels = max(1, round(float(thick)))
        colour = round(255 * min(float(bright) * 1.5, 1.0) * min(float(thick), 1.0))
        cv2.line(pieces, line[0].tolist(), line[1].tolist(), colour, pixels, cv2.LINE_AA, _FRACTION)
        low, high = (
            line.min(axis=0) // 2**_FRACTION - pixels - 2,
            line.max(axis=0) // 2**_FRACTION + pixels + 3,
        )
        box = box.joined(Box(int(low[0]), int(low[1]), int(high[0]), int(high[1])))
    return box


def _dust(
    impact: Impact,
    outline: FloatArray,
    place: FloatArray,
    seconds: float,
    size: Size,
    chance: np.random.Generator,
) -> tuple[Plane, Box]:
    """Return dust that rises along the foot, spreads and thins, and its box."""
    whole = np.zeros((size[1], size[0]), np.uint8)
    low, high = outline.min(axis=0), outline.max(axis=0)
    number = int(np.clip((high[0] - low[0]) * 9, 8, 90))
    x = chance.uniform(low[0], high[0], number)
    side = x / max(abs(low[0]), abs(high[0]), 0.1)
    born = chance.uniform(0.12, 0.4, number)
    rise = chance.uniform(0.1, 0.55, number)
    share = seconds / IMPACT_SECONDS
    if impact.dust <= 0 or seconds <= 0:
        return whole, EMPTY
    out = 1 - (1 - share) ** 3
    centres = np.stack([x + side * 1.3 * out, high[1] - rise * out], axis=1)
    em = float(np.hypot(place[0, 0], place[1, 0]))
    placed = (centres @ place[:2, :2].T + place[:2, 2]) / _DUST_TIMES
    radius = (born * (0.5 + 1.8 * out)) * em / _DUST_TIMES
    shape = -(-size[1] // _DUST_TIMES), -(-size[0] // _DUST_TIMES)
    total = np.zeros(shape, np.float32)
    level = impact.dust * (1 - share) ** 1.5 * 70
    puff = np.zeros(shape, np.uint8)
    for centre, wide in zip(placed, radius, strict=True):
        puff[:] = 0
        cv2.circle(
            puff,
            np.rint(np.clip(centre, -2000, 4000)).astype(int).tolist(),
            max(1, round(float(wide))),
            1,
            -1,
        )
        total += puff * np.float32(level)
    sigma = max(1.0, 0.22 * em / _DUST_TIMES * (0.6 + out))
    soft = cv2.GaussianBlur(np.minimum(total, 200), (0, 0), sigma).astype(np.uint8)
    whole[:] = cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR)
    reach = radius[:, None] + 3 * sigma + 1
    first, last = (placed - reach).min(axis=0) * _DUST_TIMES, (placed + reach).max(axis=0) * _DUST_TIMES
    first, last = (np.clip(side, -_DUST_TIMES, max(size)).astype(int).tolist() for side in (first, last))
    return whole, Box(*first, *last).grown(0, size)


_DUST_TIMES = 8
"""How many times smaller dust is drawn: all of it is soft."""


def outline_of(ink: Ink, block: Block) -> FloatArray:
    """Return points of the outline of a block at rest, float64, shape (n, 2), in sizes of the letters.

    They are the same at every size of the frame.
    """
    em = min(_OUTLINE_EM, _OUTLINE_WIDEST / max(block.width, block.height, 1.0))
    size = math.ceil((block.width + 1) * em), math.ceil((block.height + 1) * em)
    place = np.array([[em, 0, size[0] / 2], [0, em, size[1] / 2], [0, 0, 1.0]])
    whole = np.zeros((size[1], size[0]), np.uint8)
    for letter in block.letters:
        sprite = ink.coverage(letter, place, size)
        if sprite is not None:
            add_sprite(whole, sprite)
    closing = np.ones((round(_CLOSED * em) | 1,) * 2, np.uint8)  # nothing comes out between the letters
    closed = cv2.morphologyEx(whole, cv2.MORPH_CLOSE, closing)
    edge = cv2.morphologyEx(closed, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > _EDGE
    rows, columns = np.nonzero(edge)
    return np.stack([(columns + 0.5 - size[0] / 2) / em, (rows + 0.5 - size[1] / 2) / em], axis=1)


_OUTLINE_EM, _OUTLINE_WIDEST, _EDGE, _CLOSED = 40.0, 1200.0, 100, 0.5
