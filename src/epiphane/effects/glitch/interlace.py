"""Interlace tear: every other line is of an earlier frame, and beside its place."""

from collections.abc import Sequence

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import Picture


def _echoes(values: Values) -> tuple[int, ...]:
    return () if values.shift == 0 else (-round(values.late),)


@effect(
    key="interlace",
    version=1,
    family=Family.GLITCH,
    label="Interlace tear",
    group="Digital",
    keywords="comb fields video lines television old",
    parameters=(
        Parameter("shift", "Shift", "% of width", low=0, high=20, rest=0, peak=6),
        Parameter("lines", "Lines", "", low=20, high=600, rest=144, peak=144, is_whole=True),
        Parameter("late", "Earlier by", "frames", low=0, high=12, rest=2, peak=2, is_whole=True),
    ),
    echoes=_echoes,
)
def interlace(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows every other line from an earlier frame and beside its place, as half pictures that come apart."""
    if values.shift == 0:
        return NOTHING
    n_lines = round(values.lines)

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        other = others[0] if others else picture
        columns = np.clip(np.arange(width) - round(values.shift / 100 * width), 0, width - 1)
        done = picture.copy()
        is_late = (np.arange(height) * 2 * n_lines // height) % 2 == 1
        done[is_late] = np.take(other[is_late], columns, axis=1)
        return done

    return Mix(apply)
