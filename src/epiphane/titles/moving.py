"""Where the letters of a text are while it arrives or leaves."""

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np

from epiphane.document.text import TextMotion, TextOrder, TextUnit
from epiphane.titles.layout import Letter
from epiphane.titles.motions.declare import MOTIONS, Motion, Part
from epiphane.types import FloatArray

MovedLetters: TypeAlias = list[tuple[Motion, FloatArray]]
"""Of each letter its motion, and the matrix by which it is moved, float64, shape (2, 3)."""


def moved_letters(letters: Sequence[Letter], motion: TextMotion, share: float) -> MovedLetters:
    """Return of each letter its motion, and the matrix by which it is moved, when a share of the way is over.

    Returns
    -------
    pairs of Motion and float64, shape (2, 3)
        From sizes of the letters to sizes of the letters.
    """
    declared = MOTIONS.find(motion.key)
    keys = [_unit_of(letter, motion.unit) for letter in letters]
    names = list(dict.fromkeys(keys))
    middles = _middles(letters, keys)
    ranks = _ranks(len(names), motion)
    chances = np.random.default_rng([motion.seed, 7]).random((len(names), 3)).tolist()
    made: dict[int, tuple[Motion, FloatArray]] = {}
    for number, name in enumerate(names):
        x, y = middles[name]
        part = Part(number, len(names), x, y, tuple(chances[number]))
        way = part_share(share, ranks[number], len(names), motion.stagger)
        moved = Motion() if declared is None else declared.move(way, part, motion.amount)
        made[name] = moved, _about(moved, x, y)
    return [made[key] for key in keys]


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


def _middles(letters: Sequence[Letter], keys: Sequence[int]) -> dict[int, tuple[float, float]]:
    """Return the middle of each part: of its letters from end to end, a little above the line."""
    boxes: dict[int, list[tuple[float, float]]] = {}
    for letter, key in zip(letters, keys, strict=True):
        boxes.setdefault(key, []).append((letter.x, letter.y - _MIDDLE))
    return {
        key: tuple((min(side) + max(side)) / 2 for side in zip(*points, strict=True))
        for key, points in boxes.items()
    }


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
    """Return the matrix of a motion about a point."""
    return np.array(
        [
            [motion.a, motion.b, x + motion.x - motion.a * x - motion.b * y],
            [motion.c, motion.d, y + motion.y - motion.c * x - motion.d * y],
        ]
    )
