"""Block glitch: blocks of the picture are in the wrong place."""

from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Mix, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture

_MOST_BLOCKS = 40
_GRID, _ANYWHERE = "on a grid", "anywhere"
_CELLS, _MOST_ON_GRID = 40, 130
# Shares of bars, of thin ones, of boxes one cell high; beyond which colours change, or a column is drawn out.
_BARS, _THIN, _RUNS, _BAR_HEIGHT = 0.35, 0.2, 0.75, 0.4
_SWAPPED, _DRAWN_OUT = 0.9, 0.84
_HELD_FRAMES = (-9, -5, -2)


def _echoes(values: Values) -> tuple[int, ...]:
    return _HELD_FRAMES if values.amount > 0 and values.lie == _GRID and values.held > 0 else ()


class _Lost(NamedTuple):
    """A box of cells that a decoder lost: where it lies, how it is filled, by chances of 0 to 1."""

    left: int
    top: int
    across: int
    tall: float
    shift: float
    source: float
    kind: float


def _lost_cells(generator: np.random.Generator, count: int, size: float) -> list[_Lost]:
    """Return boxes on the grid: thin wide bars, squares, and runs of squares."""
    found = []
    for kind, wide, tall, x, y, shift, source in generator.random((_MOST_ON_GRID, 7))[:count]:
        across = 4 + int(20 * wide) if kind < _BARS else 1 + int(wide * (1 + 25 * size))
        high = _BAR_HEIGHT if kind < _THIN else 1.0 if kind < _RUNS else 1.0 + int(tall * (1 + 16 * size))
        found.append(_Lost(int(44 * x) - 4, int(y * 40), across, high, 2 * shift - 1, source, tall))
    return found


def _with_lost(
    picture: Picture, others: Sequence[Picture], *, lost: Sequence[_Lost], reach: float, held: float
) -> Picture:
    height, width = picture.shape[:2]
    done, cell = picture.copy(), width / _CELLS
    for one in lost:
        left, right = max(0, round(one.left * cell)), min(width, round((one.left + one.across) * cell))
        top = round(one.top * cell) % height
        end = min(height, round(top + one.tall * cell))
        if right - left < 1 or end <= top:
            continue
        source = others[int(one.source / held * len(others))] if others and one.source < held else picture
        columns = (np.arange(left, right) + round(one.shift * reach * width)) % width
        part = np.take(source[top:end], columns, axis=1)
        if one.kind > _SWAPPED:
            part = part[..., (1, 2, 0)]
        elif one.kind > _DRAWN_OUT:
            part = np.repeat(part[:, :1], right - left, axis=1)
        done[top:end, left:right] = part
    return done


@effect(
    key="blocks",
    version=2,
    family=Family.GLITCH,
    label="Block glitch",
    group="Digital",
    keywords="glitch datamosh macroblock",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=85),
        Parameter("reach", "Reach", "% of width", low=0, high=50, rest=22, peak=22),
        Parameter("size", "Size", "%", low=1, high=50, rest=20, peak=20),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=12, peak=12),
        ChoiceParameter(
            "lie",
            "They lie",
            (_GRID, _ANYWHERE),
            _GRID,
            help="On a grid, as what a decoder loses",
        ),
        Parameter("held", "Held", "%", low=0, high=100, rest=45, peak=45, help="Of earlier frames"),
    ),
    needs=(Need.TIME,),
    echoes=_echoes,
)
def blocks(values: Values) -> Operation | tuple[Operation, ...]:
    """Puts blocks of the picture in the wrong place, others every few frames, some with colours exchanged."""
    n_blocks = round(_MOST_BLOCKS * values.amount / 100)
    if n_blocks == 0 or values.reach == 0:
        return NOTHING
    step = step_at(values.seconds, values.rate)
    generator = np.random.default_rng((int(values.seed), step))
    if values.lie == _GRID:
        share, size, reach = values.amount / 100, values.size / 100, values.reach / 100
        lost = _lost_cells(generator, round(_MOST_ON_GRID * share), size)
        return Mix(partial(_with_lost, lost=lost, reach=reach, held=values.held / 100))
    dice = generator.random((_MOST_BLOCKS, 6))[:n_blocks]

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        done = picture.copy()
        for x, y, wide, tall, shift, kind in dice:
            block_width = max(1, round((0.3 + wide) * values.size / 100 * width))
            block_height = max(1, round((0.2 + 0.5 * tall) * values.size / 100 * height))
            left, top = int(x * width) - block_width // 2, int(y * height) - block_height // 2
            columns = np.clip(np.arange(left, left + block_width), 0, width - 1)
            rows = slice(max(0, top), max(0, top + block_height))
            moved = (columns + round((2 * shift - 1) * values.reach / 100 * width)) % width
            part = picture[rows][:, moved]
            done[rows, columns] = part[..., ::-1] if kind > 0.8 else part
        return done

    return Filter(apply, moves=True)
