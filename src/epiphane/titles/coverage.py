"""What a text covers of the frame: its letters at rest, moved, and blurred along their way."""

import cv2
import numpy as np
from msgspec import Struct

from epiphane.document.text import TextFill, TextUnit
from epiphane.facts.text import TextClock
from epiphane.titles.layout import Block
from epiphane.titles.motions.declare import MOTIONS, REST
from epiphane.titles.moving import MovedLetters, moved_letters
from epiphane.titles.raster import Sprite, add_sprite, coloured_sprites, is_within, letter_sprite
from epiphane.types import FloatArray, Plane, Size

_LETTER_SAMPLES, _BLOCK_SAMPLES, _SHUTTER = 6, 14, 0.5
"""Of a frame, in that share of it: of each letter, and of a block that moves as one."""


class Box(Struct, frozen=True):
    """A box in pixels: from its upper left corner to before its lower right one."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing in it."""
        return self.x0 >= self.x1 or self.y0 >= self.y1

    def joined(self, other: "Box") -> "Box":
        """Return the box around both; one that is empty does not count."""
        if other.is_empty or self.is_empty:
            return self if other.is_empty else other
        lows = min(self.x0, other.x0), min(self.y0, other.y0)
        return Box(*lows, max(self.x1, other.x1), max(self.y1, other.y1))

    def grown(self, by: int, size: Size) -> "Box":
        """Return the box with so many pixels more on every side, within a picture of a size."""
        if self.is_empty:
            return self
        lows = max(0, self.x0 - by), max(0, self.y0 - by)
        return Box(*lows, min(size[0], self.x1 + by), min(size[1], self.y1 + by))

    def of(self, plane: Plane) -> Plane:
        """Return the part of a plane that lies in it."""
        return np.ascontiguousarray(plane[self.y0 : self.y1, self.x0 : self.x1])


EMPTY = Box(0, 0, 0, 0)


class Covered(Struct, frozen=True, eq=False):
    """What letters cover, and the box outside which that is nothing.

    `coloured` are those with colours of their own, and `seen` is how much is seen of all on average, 0 to 1.
    """

    coverage: Plane
    box: Box
    coloured: tuple[Sprite, ...] = ()
    seen: float = 1.0


def covered(fill: TextFill, block: Block, place: FloatArray, clock: TextClock, size: Size) -> Covered:
    """Return what a text covers as it is now.

    Parameters
    ----------
    place : float64, shape (2, 3)
        From sizes of the letters, about the middle of the block, to pixels.
    """
    motion, share = (fill.arrive, clock.arrived) if clock.left is None else (fill.leave, 1 - clock.left)
    if motion is None or share is None or not block.letters:
        return _covered(block, place, None, size)
    declared = MOTIONS.find(motion.key)
    if declared is None or not declared.is_smeared:
        return _covered(block, place, moved_letters(block.letters, motion, share), size)
    ahead = clock.step * _SHUTTER * (1 if clock.left is None else -1)
    n_samples = _BLOCK_SAMPLES if motion.unit is TextUnit.BLOCK else _LETTER_SAMPLES
    ways = np.clip(np.linspace(share, share + ahead, n_samples), 0, 1).tolist()
    samples = [moved_letters(block.letters, motion, way) for way in ways]
    if motion.unit is TextUnit.BLOCK:
        return _smeared_block(block, place, samples, size)
    return _smeared_letters(block, place, samples, size)


def _covered(block: Block, place: FloatArray, moved: MovedLetters | None, size: Size) -> Covered:
    """Return what letters cover, moved or at rest."""
    coverage = np.zeros((size[1], size[0]), np.uint8)
    box, coloured, seen = EMPTY, [], 0.0
    em = float(np.hypot(place[0, 0], place[1, 0]))
    for number, letter in enumerate(block.letters):
        motion, matrix = (REST, None) if moved is None else moved[number]
        here = place if matrix is None else after(place, matrix)
        opacity = min(max(motion.opacity, 0.0), 1.0)
        seen += opacity
        if opacity <= 0 or not is_within(letter, here, size):
            continue
        sprite = letter_sprite(letter, here, motion.blur * em, opacity)
        if sprite is not None:
            box = _added(coverage, sprite, box)
        coloured += coloured_sprites(letter, here, opacity)
    return Covered(coverage, box, tuple(coloured), seen / max(1, len(block.letters)))


def _smeared_letters(block: Block, place: FloatArray, samples: list[MovedLetters], size: Size) -> Covered:
    """Return what letters cover while the shutter is open: each is drawn once, and moved on from there."""
    coverage = np.zeros((size[1], size[0]), np.uint8)
    box, coloured, seen = EMPTY, [], 0.0
    middle = len(samples) // 2
    for number, letter in enumerate(block.letters):
        motion = samples[middle][number][0]
        opacity = min(max(motion.opacity, 0.0), 1.0)
        seen += opacity
        here = after(place, samples[middle][number][1])
        if opacity <= 0 or not is_within(letter, here, size):
            continue
        sprite = letter_sprite(letter, here, 0.0, opacity)
        if sprite is not None:
            back = np.linalg.inv(np.vstack([here, (0, 0, 1)]))
            steps = [after(place, moved[number][1]) @ back for moved in samples]
            box = _added(coverage, _on_average(sprite, steps), box)
        coloured += coloured_sprites(letter, here, opacity)
    return Covered(coverage, box, tuple(coloured), seen / max(1, len(block.letters)))


def _on_average(sprite: Sprite, steps: list[FloatArray]) -> Sprite:
    """Return the average of a sprite moved by each of some matrices, shape (2, 3), of places in the frame."""
    height, width = sprite.pixels.shape[:2]
    ends = ((sprite.left, sprite.left + width), (sprite.top, sprite.top + height))
    corners = np.array([(x, y, 1.0) for x in ends[0] for y in ends[1]])
    reached = np.concatenate([corners @ step.T for step in steps])
    (left, top), (right, bottom) = np.floor(reached.min(axis=0)) - 1, np.ceil(reached.max(axis=0)) + 1
    shape = min(int(right - left), _WIDEST), min(int(bottom - top), _WIDEST)
    total = np.zeros(shape[::-1], np.float32)
    for step in steps:
        moved = _of_pixels(step, (sprite.left, sprite.top), (left, top))
        cv2.accumulate(cv2.warpAffine(sprite.pixels, moved, shape, flags=cv2.INTER_LINEAR), total)
    return Sprite(np.asarray(cv2.convertScaleAbs(total, alpha=1 / len(steps)), np.uint8), int(left), int(top))


_WIDEST = 4096


def _smeared_block(block: Block, place: FloatArray, samples: list[MovedLetters], size: Size) -> Covered:
    """Return what a block that moves as one covers while the shutter is open: it is drawn once."""
    # Drawn where it is smallest: most of it lies in the frame there.
    base = min((samples[0], samples[-1]), key=lambda moved: abs(float(np.linalg.det(moved[0][1][:, :2]))))
    drawn = _covered(block, place, base, size)
    if drawn.box.is_empty:
        return drawn
    back = np.linalg.inv(np.vstack([after(place, base[0][1]), (0, 0, 1)]))
    half = -(-size[0] // 2), -(-size[1] // 2)  # what is smeared is as good at half the size
    small = cv2.resize(drawn.coverage, half, interpolation=cv2.INTER_AREA)
    total = np.zeros((half[1], half[0]), np.float32)
    box, edges = drawn.box, drawn.box
    corners = np.array([(x, y, 1) for x in (edges.x0, edges.x1) for y in (edges.y0, edges.y1)], float)
    for moved in samples:
        step = after(place, moved[0][1]) @ back
        reached = corners @ step.T
        low, high = np.floor(reached.min(axis=0)) - 1, np.ceil(reached.max(axis=0)) + 1
        box = box.joined(Box(int(low[0]), int(low[1]), int(high[0]), int(high[1])))
        step[:, 2] /= 2
        cv2.accumulate(cv2.warpAffine(small, _of_pixels(step), half, flags=cv2.INTER_LINEAR), total)
    mean = cv2.convertScaleAbs(total, alpha=1 / len(samples))
    coverage = np.asarray(cv2.resize(mean, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    return Covered(coverage, box.grown(0, size), drawn.coloured, drawn.seen)


def after(place: FloatArray, matrix: FloatArray) -> FloatArray:
    """Return the matrix, shape (2, 3), that does one of that shape first and then the place."""
    made = place[:, :2] @ matrix
    made[:, 2] += place[:, 2]
    return np.asarray(made)


def _of_pixels(
    step: FloatArray, corner: tuple[float, float] = (0.0, 0.0), to: tuple[float, float] = (0.0, 0.0)
) -> FloatArray:
    """Return a matrix of places, which lie between pixels, as one of pixels counted from two corners."""
    made = step.copy()
    made[:, 2] += step[:, :2] @ (corner[0] + 0.5, corner[1] + 0.5) - (to[0] + 0.5, to[1] + 0.5)
    return made


def _added(coverage: Plane, sprite: Sprite, box: Box) -> Box:
    filled = add_sprite(coverage, sprite)
    return box if filled is None else box.joined(Box(*filled))
