"""Line tear: lines of the picture slip sideways."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture


@effect(
    key="tear",
    version=1,
    family=Family.GLITCH,
    label="Line tear",
    group="Digital",
    keywords="glitch sync loss",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=50, rest=0, peak=20),
        Parameter("lines", "Bands", "", low=2, high=200, rest=26, peak=26),
        Parameter("share", "Torn", "%", low=1, high=100, rest=65, peak=65),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=15, peak=15),
    ),
    needs=(Need.TIME,),
)
def tear(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets bands of lines slip sideways, others every few frames; they go round from side to side."""
    if values.reach == 0:
        return NOTHING
    n_bands = round(values.lines)
    step = step_at(values.seconds, values.rate)
    generator = np.random.default_rng((int(values.seed), step))
    edges = np.sort(generator.random(n_bands - 1))
    shifts = generator.uniform(-1, 1, n_bands)
    shifts[generator.random(n_bands) > values.share / 100] = 0

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        done = picture.copy()
        lines = [0, *(edges * height).astype(int), height]
        for top, end, shift in zip(lines, lines[1:], shifts, strict=False):
            pixels = round(shift * values.reach / 100 * width)
            if pixels and end > top:
                done[top:end] = np.roll(picture[top:end], pixels, axis=1)
        return done

    return Filter(apply, moves=True)
