"""Where the letters of a text are while it arrives or leaves."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from epiphane.document.titles import TextMotion, TextOrder, TextUnit
from epiphane.titles.layout import Letter
from epiphane.titles.motions.declare import MOTIONS, Motion, Part
from epiphane.types import FloatArray


class Moved(Struct, frozen=True, eq=False):
    """How a part of a title is moved: its motion, the matrix of that, and from where to where it reaches.

    The matrix, float64, shape (3, 3), leads from sizes of the letters to sizes of the letters; in depth its
    last row is not (0, 0, 1). `left` and `right` are the ends of the part at rest.
    """

    motion: Motion
    matrix: FloatArray
    left: float
    right: float


def moved_letters(
    letters: Sequence[Letter], motion: TextMotion, share: float, shares: Sequence[float] = ()
) -> list[Moved]:
    """Return how each letter is moved when a share of the way is over, or a share for each of the parts."""
    declared = MOTIONS.find(motion.key)
    unit = unit_that_moves(letters, motion.unit)
    keys = [_unit_of(letter, unit) for letter in letters]
    names = list(dict.fromkeys(keys))
    boxes = _boxes(letters, keys)
    ranks = _ranks(len(names), motion)
    chances = np.random.default_rng([motion.seed, 7]).random((len(names), 3)).tolist()
    made: dict[int, Moved] = {}
    for number, name in enumerate(names):
        left, top, right, bottom = boxes[name]
        x, y = (left + right) / 2, (top + bottom) / 2
        part = Part(number, len(names), x, y, tuple(chances[number]), right - left, bottom - top)
        rank = ranks[number]
        if shares:
            way = shares[min(rank, len(shares) - 1)]
        else:
            way = part_share(share, rank, len(names), motion.stagger)
        moved = Motion() if declared is None else declared.move(way, part, motion.amount)
        made[name] = Moved(moved, _about(moved, x, y), left, right)
    return [made[key] for key in keys]


MOST_PARTS = 400
"""That move one by one: more would take seconds a frame."""


def unit_that_moves(letters: Sequence[Letter], wanted: TextUnit) -> TextUnit:
    """Return what of a text moves as one: what is wanted, or what is larger and of which there are few."""
    for unit in (TextUnit.LETTER, TextUnit.WORD, TextUnit.LINE):
        if unit is wanted and len({_unit_of(letter, unit) for letter in letters}) > MOST_PARTS:
            wanted = _COARSER[unit]
    return wanted


_COARSER = {
    TextUnit.LETTER: TextUnit.WORD,
    TextUnit.WORD: TextUnit.LINE,
    TextUnit.LINE: TextUnit.BLOCK,
}


def part_share(share: float, rank: int, n_parts: int, stagger: float) -> float:
    """Return how much of its way a part has gone, 0 to 1, when a share of the time for all of them is over.

    With a stagger of 0 all go at once, with 1 one begins when the other one ends; the last one ends with all.
    """
    length = 1 - stagger * (n_parts - 1) / n_parts
    return min(max((share - stagger * rank / n_parts) / max(length, 1e-9), 0.0), 1.0)


def _unit_of(letter: Letter, unit: TextUnit) -> int:
    match unit:
        case TextUnit.BLOCK:
            return 0
        case TextUnit.LINE:
            return letter.line
        case TextUnit.WORD:
            return letter.word
        case TextUnit.LETTER:
            return letter.number


def _boxes(letters: Sequence[Letter], keys: Sequence[int]) -> dict[int, tuple[float, float, float, float]]:
    """Return from where to where each part reaches: left, top, right, bottom, as high as capitals are."""
    boxes: dict[int, tuple[float, float, float, float]] = {}
    for letter, key in zip(letters, keys, strict=True):
        half = letter.width / 2
        top = letter.y - 2 * _MIDDLE if letter.glyphs else letter.y - 0.5
        bottom = letter.y if letter.glyphs else letter.y + 0.5
        box = letter.x - half, top, letter.x + half, bottom
        old = boxes.get(key, box)
        lows = min(old[0], box[0]), min(old[1], box[1])
        boxes[key] = (*lows, max(old[2], box[2]), max(old[3], box[3]))
    return boxes


_MIDDLE = 0.35
"""How far above its line the middle of a capital is."""


def _ranks(number: int, motion: TextMotion) -> list[int]:
    """Return when the turn of each part comes, from 0."""
    order = list(range(number))
    if motion.order is TextOrder.BACKWARD:
        order.reverse()
    elif motion.order is TextOrder.MIDDLE:
        order.sort(key=lambda place: abs(place - (number - 1) / 2))
    elif motion.order is TextOrder.CHANCE:
        order = np.random.default_rng(motion.seed).permutation(number).tolist()
    ranks = [0] * number
    for rank, place in enumerate(order):
        ranks[place] = rank
    return ranks


def _about(motion: Motion, x: float, y: float) -> FloatArray:
    """Return the matrix, shape (3, 3), of a motion about a point."""
    there = np.array([[1.0, 0.0, -x], [0.0, 1.0, -y], [0.0, 0.0, 1.0]])
    moved = np.array([[motion.a, motion.b, 0.0], [motion.c, motion.d, 0.0], [motion.right, motion.down, 1.0]])
    back = np.array([[1.0, 0.0, x + motion.x], [0.0, 1.0, y + motion.y], [0.0, 0.0, 1.0]])
    return np.asarray(back @ moved @ there)
