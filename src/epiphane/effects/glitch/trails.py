"""Trails: earlier frames echo."""

from collections.abc import Sequence
from functools import partial

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import Picture

_BRIGHTER, _DARKER = "brighter", "darker"


def _echoes(values: Values) -> tuple[int, ...]:
    if values.amount == 0:
        return ()
    return tuple(-round(values.apart) * number for number in range(round(values.count), 0, -1))


def _lasting(
    picture: Picture, others: Sequence[Picture], *, amount: float, kept: float, is_dark: bool
) -> Picture:
    """Return a picture with its echoes, the k-th ago at ``kept^k``: what is brighter, or darker, is seen."""
    done = cv2.bitwise_not(picture) if is_dark else picture
    for ago, other in enumerate(reversed(others), start=1):
        echo = cv2.bitwise_not(other) if is_dark else other
        done = cv2.max(done, cv2.convertScaleAbs(echo, alpha=amount * kept**ago))
    return np.asarray(cv2.bitwise_not(done) if is_dark else done, np.uint8)


@effect(
    key="trails",
    version=2,
    family=Family.GLITCH,
    label="Trails",
    group="Time",
    keywords="ghost echo lag feedback",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Echoes", "", low=1, high=6, rest=6, peak=6, is_whole=True),
        Parameter("apart", "Apart", "frames", low=1, high=12, rest=3, peak=3, is_whole=True),
        ChoiceParameter(
            "blend",
            "Blend",
            (_BRIGHTER, _DARKER, "lighten", "mix"),
            _BRIGHTER,
            help="Brighter and darker echoes last by themselves; the others are mixed with the picture first",
        ),
        Parameter("kept", "Kept", "%", low=10, high=100, rest=84, peak=84, help="Of each echo in the next"),
    ),
    echoes=_echoes,
)
def trails(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets earlier frames of the shot echo, each weaker than the one after it."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100
    if values.blend in (_BRIGHTER, _DARKER):
        return Mix(partial(_lasting, amount=amount, kept=values.kept / 100, is_dark=values.blend == _DARKER))

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
