"""Trails: earlier frames echo."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import Picture


def _echoes(values: Values) -> tuple[int, ...]:
    if values.amount == 0:
        return ()
    return tuple(-round(values.apart) * number for number in range(round(values.count), 0, -1))


@effect(
    key="trails",
    version=1,
    family=Family.GLITCH,
    label="Trails",
    keywords="ghost echo lag feedback",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=70),
        Parameter("count", "Echoes", "", low=1, high=6, rest=3, peak=3, is_whole=True),
        Parameter("apart", "Apart", "frames", low=1, high=12, rest=2, peak=2, is_whole=True),
        ChoiceParameter("blend", "Blend", ("mix", "lighten"), "lighten"),
    ),
    echoes=_echoes,
)
def trails(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets earlier frames of the shot echo, each weaker than the one after it."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        done = picture
        for number, other in enumerate(others, start=1):
            share = amount * number / (len(others) + 1)
            mixed = cv2.addWeighted(picture, 1 - share, other, share, 0)
            if values.blend == "lighten":
                done = np.asarray(cv2.max(done, mixed), np.uint8)
            else:
                weight = share / 2
                done = np.asarray(cv2.addWeighted(done, 1 - weight, other, weight, 0), np.uint8)
        return done

    return Mix(apply)
