"""Slit scan: each line shows an earlier frame than the one beside it."""

from collections.abc import Sequence

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import Picture

_WAYS = ("down", "up", "right", "left", "from the middle")
_MOST = 12


def _echoes(values: Values) -> tuple[int, ...]:
    late = round(values.lag)
    return () if values.lag == 0 else tuple(-number for number in range(1, min(max(late, 1), _MOST) + 1))


@effect(
    key="slit-scan",
    version=1,
    family=Family.GLITCH,
    label="Slit scan",
    group="Time",
    keywords="time displacement rolling shutter delay lines jelly",
    parameters=(
        Parameter("lag", "Lag", "frames", low=0, high=_MOST, rest=0, peak=_MOST, help="Of the far edge"),
        ChoiceParameter("way", "Late towards", _WAYS, "down"),
        Parameter("bands", "Steps", "", low=0, high=60, rest=0, peak=0, is_whole=True, help="0 is smooth"),
    ),
    echoes=_echoes,
)
def slit_scan(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows each line later than the one beside it, so that what moves is bent."""
    if values.lag == 0:
        return NOTHING
    bands = round(values.bands)

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        frames = [picture, *others]
        is_across = values.way in ("right", "left")
        count = picture.shape[1 if is_across else 0]
        place = (np.arange(count) + 0.5) / count
        if bands:
            place = np.minimum(np.floor(place * bands) / max(bands - 1, 1), 1)
        if values.way in ("up", "left"):
            place = 1 - place
        elif values.way == "from the middle":
            place = np.abs(2 * place - 1)
        late = np.minimum(place * values.lag, len(frames) - 1)
        first = np.minimum(late.astype(int), max(len(frames) - 2, 0))
        share = (
            (late - first).astype(np.float32)[None, :, None] if is_across else (late - first)[:, None, None]
        )
        one, other = (
            _lines_of(frames, np.minimum(first + more, len(frames) - 1), is_across=is_across)
            for more in (0, 1)
        )
        return np.asarray(np.rint(one + share * (other.astype(np.float32) - one)), np.uint8)

    return Mix(apply)


def _lines_of(frames: Sequence[Picture], numbers: np.ndarray, *, is_across: bool) -> Picture:
    """Return a picture each of whose lines is of another frame."""
    done = np.empty_like(frames[0])
    for number in np.unique(numbers):
        chosen = numbers == number
        if is_across:
            done[:, chosen] = frames[number][:, chosen]
        else:
            done[chosen] = frames[number][chosen]
    return done
