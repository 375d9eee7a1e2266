"""Tile wall: the picture many times over."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture


@effect(
    key="tiles",
    version=1,
    family=Family.FRAME,
    label="Tile wall",
    group="Layouts",
    parameters=(
        Parameter("across", "Across", "", low=1, high=12, rest=1, peak=3),
        Parameter("down", "Down", "", low=1, high=12, rest=1, peak=3),
        ChoiceParameter("turn", "Every other", ("as it is", "mirrored"), "as it is"),
    ),
)
def tiles(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture many times over, side by side; a wall between whole numbers shows parts of tiles."""
    if values.across == 1 and values.down == 1:
        return NOTHING
    border = cv2.BORDER_REFLECT if values.turn == "mirrored" else cv2.BORDER_WRAP

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        size = max(1, round(width / values.across)), max(1, round(height / values.down))
        tile = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        left, top = (width - size[0]) // 2, (height - size[1]) // 2
        # The whole tile in the middle stays there as the wall grows.
        wall = cv2.copyMakeBorder(tile, top, height - size[1] - top, left, width - size[0] - left, border)
        return np.asarray(wall, np.uint8)

    return Filter(apply, moves=True)
