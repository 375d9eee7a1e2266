"""Pixel sorting: along each line runs of pixels are put in order of brightness."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, AlphaRule, Mix, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture, Plane

_WAYS = ("down", "up", "right", "left")
_THREADS = 270
"""Bands of lines that are sorted alike, over the height: so a preview looks like the export."""
_MOST_UNEQUAL, _FEWEST = 0.9, 0.3
# Where run, brightness, place and colour lie in the number that is sorted.
_RUN, _BRIGHT, _PLACE = 53, 45, 32
_COLOUR = (1 << _PLACE) - 1


@effect(
    key="pixel-sort",
    version=1,
    family=Family.GLITCH,
    label="Pixel sorting",
    group="Digital",
    keywords="sort drip streaks melt databend",
    parameters=(
        Parameter("reach", "Longest run", "% of width", low=0, high=100, rest=0, peak=60),
        Parameter("low", "Darkest", "%", low=0, high=100, rest=12, peak=12, help="Of what is sorted"),
        Parameter("high", "Brightest", "%", low=0, high=100, rest=100, peak=100),
        Parameter("ragged", "Ragged", "%", low=0, high=100, rest=55, peak=55, help="How unequal runs are"),
        ChoiceParameter("way", "Brightest to the", _WAYS, "down"),
        Parameter("rate", "Changes", "a second", low=0, high=30, rest=0, peak=0, help="Of where runs end"),
    ),
    needs=(Need.TIME,),
    echoes=lambda values: () if values.reach == 0 else (-1,),
)
def pixel_sort(values: Values) -> Operation | tuple[Operation, ...]:
    """Sorts runs of pixels by their brightness, so that the picture drips out of its own lines."""
    if values.reach == 0:
        return NOTHING
    step = step_at(values.seconds, values.rate)
    is_down = values.way in ("down", "up")
    is_forward = values.way in ("down", "right")

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        is_plain = picture.shape[2] == 3
        # By a mean of two frames: grain would put them in another order each time.
        steady = cv2.addWeighted(picture, 0.5, others[0], 0.5, 0) if others else picture
        grey = cv2.blur(cv2.cvtColor(steady, cv2.COLOR_BGR2GRAY if is_plain else cv2.COLOR_BGRA2GRAY), (3, 3))
        lines = np.ascontiguousarray(cv2.transpose(picture) if is_down else picture)
        keys = np.ascontiguousarray(cv2.transpose(grey) if is_down else grey)
        inside = cv2.inRange(keys, round(2.55 * values.low), round(2.55 * values.high))
        run, is_sorted = _runs(np.asarray(inside, np.uint8), values, picture.shape[1], step)
        key = cv2.bitwise_and(keys if is_forward else cv2.bitwise_not(keys), is_sorted)
        four = cv2.cvtColor(lines, cv2.COLOR_BGR2BGRA) if is_plain else lines
        places = np.arange(lines.shape[1], dtype=np.uint64) << np.uint64(_PLACE)
        # One number a pixel; what is not sorted has brightness 0, so its place keeps its order.
        packed = (
            (run << np.uint64(_RUN))
            | (key.astype(np.uint64) << np.uint64(_BRIGHT))
            | places
            | four.view(np.uint32)[..., 0]
        )
        packed.sort(axis=1)
        done = (packed & np.uint64(_COLOUR)).astype(np.uint32)
        colours = done[..., None].view(np.uint8)
        if is_plain:
            colours = cv2.cvtColor(colours, cv2.COLOR_BGRA2BGR)
        return np.asarray(cv2.transpose(colours) if is_down else colours, np.uint8)

    return Mix(apply, AlphaRule.GIVEN)


def _runs(inside: Plane, values: Values, width: int, step: int) -> tuple[np.ndarray, Plane]:
    """Return the number of the run of each pixel, uint64, and which are sorted, 255 or 0, uint8.

    Runs end at the edge of what is `inside`, and after a length that is drawn for each thread.
    """
    n_lines, n_places = inside.shape
    generator = np.random.default_rng((int(values.seed), step))
    unequal = 1 - values.ragged / 100 * _MOST_UNEQUAL * np.sqrt(generator.random(_THREADS))
    lengths = np.maximum(values.reach / 100 * width * unequal, 2.0)
    offsets = generator.random(_THREADS) * lengths
    # The shorter the runs, the fewer threads are sorted at all.
    chosen = generator.random(_THREADS) < _FEWEST + (1 - _FEWEST) * min(values.reach / 40, 1.0)
    thread = np.arange(n_lines) * _THREADS // n_lines
    cells = ((np.arange(n_places)[None] + offsets[:, None]) / lengths[:, None]).astype(np.int32)
    ends = np.zeros((_THREADS, n_places), bool)
    ends[:, 1:] = cells[:, 1:] != cells[:, :-1]
    is_sorted = np.where(chosen[thread][:, None], inside, 0).astype(np.uint8)
    edges = ends[thread]
    edges[:, 1:] |= is_sorted[:, 1:] != is_sorted[:, :-1]
    return np.cumsum(edges, axis=1, dtype=np.uint16).astype(np.uint64), is_sorted
