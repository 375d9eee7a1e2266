"""What a title covers of the frame: its letters at rest, moved, and blurred along their way."""

from typing import Protocol

import cv2
import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.titles import TextUnit, TitleLook
from epiphane.facts.titles import TitleClock
from epiphane.titles.layout import Block, Letter
from epiphane.titles.motions.declare import MOTIONS, REST
from epiphane.titles.moving import Moved, moved_letters, unit_that_moves
from epiphane.titles.sprites import (
    Sprite,
    add_sprite,
    between_pixels,
    broken,
    flat_near,
    lay_sprite,
    moved_sprite,
    points_through,
    torn,
    warped,
    wiped,
    written,
)
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


class Ink(Protocol):
    """What letters are drawn with."""

    def coverage(
        self, letter: Letter, place: FloatArray, size: Size, *, blur: float = 0.0, opacity: float = 1.0
    ) -> Sprite | None:
        """Return the coverage of a letter under a flat matrix, shape (3, 3), or None where none is seen."""
        ...

    def coloured(self, letter: Letter, place: FloatArray, size: Size, opacity: float) -> list[Sprite]:
        """Return what of a letter has colours of its own, as premultiplied BGRA."""
        ...

    def is_within(self, letter: Letter, place: FloatArray, size: Size) -> bool:
        """Whether something of a letter may lie in a frame: what is far outside of it is not drawn."""
        ...


def covered(
    ink: Ink, look: TitleLook, block: Block, place: FloatArray, clock: TitleClock, size: Size
) -> Covered:
    """Return what a title covers as it is now.

    Parameters
    ----------
    place : float64, shape (3, 3)
        From sizes of the letters, about the middle of the block, to pixels.
    """
    frame = _Frame(ink, block, place, size)
    motion, share = (look.arrive, clock.arrived) if clock.left is None else (look.leave, 1 - clock.left)
    if motion is None or share is None or not block.letters:
        return frame.covered(None)
    declared = MOTIONS.find(motion.key)
    if declared is None or not declared.is_smeared:
        shares = [max(one, 0.0) for one in clock.shares]
        return frame.covered(moved_letters(block.letters, motion, share, shares))
    ahead = clock.step * _SHUTTER * (1 if clock.left is None else -1)
    is_block = unit_that_moves(block.letters, motion.unit) is TextUnit.BLOCK
    n_samples = _BLOCK_SAMPLES if is_block else _LETTER_SAMPLES
    steps = np.linspace(0, ahead, n_samples)

    def sample(step: float) -> list[Moved]:
        shares = [min(max(one + step, 0.0), 1.0) for one in clock.shares]
        return moved_letters(block.letters, motion, min(max(share + step, 0.0), 1.0), shares)

    samples = [sample(step) for step in steps.tolist()]
    return frame.smeared_block(samples) if is_block else frame.smeared_letters(samples)


class _Frame(Struct, frozen=True, eq=False):
    """A frame on which a block is drawn with some ink, from a place."""

    ink: Ink
    block: Block
    place: FloatArray
    size: Size

    @property
    def _em(self) -> float:
        return float(np.hypot(self.place[0, 0], self.place[1, 0]))

    def covered(self, moved: list[Moved] | None) -> Covered:
        """Return what letters cover, moved or at rest."""
        coverage = np.zeros((self.size[1], self.size[0]), np.uint8)
        box, coloured, seen = EMPTY, [], 0.0
        for number, letter in enumerate(self.block.letters):
            one = None if moved is None else moved[number]
            opacity = 1.0 if one is None else min(max(one.motion.opacity, 0.0), 1.0)
            seen += opacity
            if opacity <= 0:
                continue
            sprite, others = self._sprites(letter, one, opacity)
            if sprite is not None:
                box = _added(coverage, sprite, box)
            coloured += others
        return Covered(coverage, box, tuple(coloured), seen / max(1, len(self.block.letters)))

    def _sprites(
        self, letter: Letter, moved: Moved | None, opacity: float
    ) -> tuple[Sprite | None, list[Sprite]]:
        """Return the coverage of a letter, and what of it has colours of its own."""
        here = self.place if moved is None else self.place @ moved.matrix
        flat = flat_near(here, letter.x, letter.y)
        if not self.ink.is_within(letter, flat, self.size):
            return None, []
        motion = REST if moved is None else moved.motion
        if motion.other > 0:
            letter = self._in_place_of(letter, motion.other)
        drawn = self.ink.coverage(letter, flat, self.size, blur=motion.blur * self._em, opacity=opacity)
        sprites = [drawn, *self.ink.coloured(letter, flat, self.size, opacity)]
        if flat is not here:
            step = here @ np.linalg.inv(flat)
            sprites = [None if one is None else moved_sprite(one, [step]) for one in sprites]
        if moved is not None and motion.shown < 1:
            end = moved.left + motion.shown * (moved.right - moved.left)
            sprites = [None if one is None else wiped(one, here, end) for one in sprites]
        if motion.written < 1:
            sprites = [None if one is None else written(one, motion.written) for one in sprites]
        if motion.broken > 0:
            reach = motion.broken * self._em
            sprites = [
                None if one is None else broken(one, self._em, reach, motion.torn_seed) for one in sprites
            ]
        if motion.torn > 0:
            reach = motion.torn * self._em
            sprites = [
                None if one is None else torn(one, self._em, reach, motion.torn_seed) for one in sprites
            ]
        return sprites[0], [one for one in sprites[1:] if one is not None]

    def _in_place_of(self, letter: Letter, share: float) -> Letter:
        """Return another letter of the block, at so much of all of them, where this one stands."""
        letters = [one for one in self.block.letters if one.glyphs] or [letter]
        other = letters[min(int(share * len(letters)), len(letters) - 1)]
        x, y = letter.x - other.x, letter.y - other.y
        glyphs = tuple(replace(glyph, x=glyph.x + x, y=glyph.y + y) for glyph in other.glyphs)
        return replace(letter, glyphs=glyphs) if letter.glyphs else letter

    def smeared_letters(self, samples: list[list[Moved]]) -> Covered:
        """Return what letters cover while the shutter is open: each is drawn once and moved on from there."""
        coverage = np.zeros((self.size[1], self.size[0]), np.uint8)
        box, coloured, seen = EMPTY, [], 0.0
        middle = len(samples) // 2
        for number, letter in enumerate(self.block.letters):
            moved = samples[middle][number]
            opacity = min(max(moved.motion.opacity, 0.0), 1.0)
            seen += opacity
            sprite, others = (None, []) if opacity <= 0 else self._sprites(letter, moved, opacity)
            if sprite is not None:
                sprite = moved_sprite(sprite, self._steps(samples, number))
            if sprite is not None:
                box = _added(coverage, sprite, box)
            for other in others:
                smeared = moved_sprite(other, self._steps(samples, number))
                coloured += [] if smeared is None else [smeared]
        return Covered(coverage, box, tuple(coloured), seen / max(1, len(self.block.letters)))

    def _steps(self, samples: list[list[Moved]], number: int) -> list[FloatArray]:
        """Return the matrices of the frame by which a letter moves on from the middle sample to each."""
        back = np.linalg.inv(self.place @ samples[len(samples) // 2][number].matrix)
        return [self.place @ sample[number].matrix @ back for sample in samples]

    def smeared_block(self, samples: list[list[Moved]]) -> Covered:
        """Return what a block that moves as one covers while the shutter is open: it is drawn once."""
        drawn = self.covered(None)  # at rest: nothing of it is cut off there, and it is sharp
        opacity = min(max(samples[len(samples) // 2][0].motion.opacity, 0.0), 1.0)
        if drawn.box.is_empty or opacity <= 0:
            return Covered(np.zeros_like(drawn.coverage), EMPTY, (), opacity)
        back = np.linalg.inv(self.place)
        steps = [self.place @ moved[0].matrix @ back for moved in samples]
        edges = drawn.box
        corners = np.array([(x, y, 1.0) for x in (edges.x0, edges.x1) for y in (edges.y0, edges.y1)])
        reached = [np.clip(points_through(step, corners), -_FARTHEST, _FARTHEST) for step in steps]
        lows, highs = np.floor(np.min(reached, axis=(0, 1))) - 1, np.ceil(np.max(reached, axis=(0, 1))) + 1
        travel = float(np.hypot(*(reached[-1] - reached[0]).T).max())
        times = 3 if travel > _FAST else 2  # what is smeared is as good when it is smaller
        small_size = -(-self.size[0] // times), -(-self.size[1] // times)
        to_small = np.diag((small_size[0] / self.size[0], small_size[1] / self.size[1], 1.0))
        planes = [drawn.coverage]
        if drawn.coloured:
            whole = np.zeros((self.size[1], self.size[0], 4), np.uint8)
            for sprite in drawn.coloured:
                lay_sprite(whole, sprite)
            planes.append(whole)
        smeared = []
        for plane in planes:
            small = np.asarray(cv2.resize(plane, small_size, interpolation=cv2.INTER_AREA), np.uint8)
            total = np.zeros(small.shape, np.float32)
            for step in steps:
                matrix = between_pixels(to_small @ step @ np.linalg.inv(to_small))
                cv2.accumulate(warped(small, matrix, small_size), total)
            mean = cv2.convertScaleAbs(total, alpha=opacity / len(samples))
            smeared.append(np.asarray(cv2.resize(mean, self.size, interpolation=cv2.INTER_LINEAR), np.uint8))
        box = Box(int(lows[0]), int(lows[1]), int(highs[0]), int(highs[1])).grown(0, self.size)
        return Covered(smeared[0], box, tuple(Sprite(one, 0, 0) for one in smeared[1:]), opacity)


_FARTHEST = 100_000.0
_FAST = 40.0
"""Pixels in a frame, from which on what moves may be drawn at a third of the size."""


def _added(coverage: Plane, sprite: Sprite, box: Box) -> Box:
    filled = add_sprite(coverage, sprite)
    return box if filled is None else box.joined(Box(*filled))
