"""Mirror: sideways, upside down, or one half, or quarter, as the others."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.half_way import MIXED, half_way_parameter
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture

_WAYS = ("sideways", "upside down", "left half", "right half", "upper half", "lower half", "quarters")

_HALF = 0.5


@effect(
    key="mirror",
    version=2,
    family=Family.FRAME,
    label="Mirror",
    group="Layouts",
    keywords="flip reflect symmetry",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ChoiceParameter("trigger", "Way", _WAYS, "sideways"),
        half_way_parameter("all or nothing", "It is there from half on; or it is mixed with the picture"),
    ),
)
def mirror(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture as in a mirror, or one half of it twice; at part strength mixed with itself."""
    if values.amount == 0:
        return NOTHING
    share = values.amount / 100
    if values.half_way != MIXED:
        if share < _HALF:
            return NOTHING
        share = 1.0

    def apply(picture: Picture) -> Picture:
        done = np.ascontiguousarray(_mirrored(picture, values.trigger))
        if share == 1:
            return done
        mixed = picture + share * (done.astype(np.float32) - picture)
        return np.asarray(np.round(mixed), np.uint8)

    return Filter(apply, moves=True)


def _mirrored(picture: Picture, way: str) -> Picture:
    height, width = picture.shape[:2]
    if way == "sideways":
        return np.asarray(cv2.flip(picture, 1), np.uint8)
    if way == "upside down":
        return np.asarray(cv2.flip(picture, 0), np.uint8)
    done = picture.copy()
    if way == "left half":
        done[:, width - width // 2 :] = picture[:, : width // 2][:, ::-1]
    elif way == "right half":
        done[:, : width // 2] = picture[:, width - width // 2 :][:, ::-1]
    elif way == "upper half":
        done[height - height // 2 :] = picture[: height // 2][::-1]
    elif way == "quarters":
        done = _mirrored(_mirrored(picture, "left half"), "upper half")
    else:
        done[: height // 2] = picture[height - height // 2 :][::-1]
    return done
