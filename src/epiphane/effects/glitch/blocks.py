"""Block glitch: blocks of the picture are in the wrong place."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture

_MOST_BLOCKS = 40


@effect(
    key="blocks",
    version=1,
    family=Family.GLITCH,
    label="Block glitch",
    keywords="glitch datamosh macroblock",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=55),
        Parameter("reach", "Reach", "% of width", low=0, high=50, rest=9, peak=9),
        Parameter("size", "Size", "%", low=1, high=50, rest=14, peak=14),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=12, peak=12),
    ),
    needs=(Need.TIME,),
)
def blocks(values: Values) -> Operation | tuple[Operation, ...]:
    """Puts blocks of the picture in the wrong place, others every few frames, some with colours exchanged."""
    n_blocks = round(_MOST_BLOCKS * values.amount / 100)
    if n_blocks == 0 or values.reach == 0:
        return NOTHING
    step = step_at(values.seconds, values.rate)
    generator = np.random.default_rng((int(values.seed), step))
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
