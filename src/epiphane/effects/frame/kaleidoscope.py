"""Kaleidoscope: a wedge of the picture, all round."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.half_way import MIXED, half_way_parameter
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points
from epiphane.types import Picture


@effect(
    key="kaleidoscope",
    version=2,
    family=Family.FRAME,
    label="Kaleidoscope",
    group="Layouts",
    keywords="symmetry",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("segments", "Segments", "", low=2, high=24, rest=6, peak=6, is_whole=True),
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=0, peak=0),
        Parameter("size", "Size", "%", low=20, high=400, rest=100, peak=100),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        Parameter("drift", "Drift", "° a second", low=-90, high=90, rest=6, peak=6),
        half_way_parameter("opened in part", "It opens as a disc, or is mixed with the picture"),
    ),
    needs=(Need.TIME,),
)
def kaleidoscope(values: Values) -> Operation | tuple[Operation, ...]:
    """Repeats a wedge of the picture all round, each a mirror image of its neighbours, slowly turning."""
    if values.amount == 0:
        return NOTHING
    wedge = np.float32(np.pi / round(values.segments))
    turn = np.float32(np.deg2rad(values.angle + values.drift * values.seconds))
    share, size = values.amount / 100, np.float32(100 / values.size)
    opens = share < 1 and values.half_way != MIXED

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        x, y = coarse_points(picture, 2)
        away, around = cv2.cartToPolar(x, y)
        folded = np.abs((around - turn) % (2 * wedge) - wedge) + turn
        far = away * size
        if opens:  # outside of a disc that grows everything is as it was
            is_inside = away < np.float32(share * np.hypot(1, height / width))
            folded, far = np.where(is_inside, folded, around), np.where(is_inside, far, away)
        from_x, from_y = cv2.polarToCart(far, folded)
        centre_x, centre_y = values.centre_x / 100 * width, values.centre_y / 100 * height
        map_x = from_x * np.float32(width / 2) + np.float32(centre_x - 0.5)
        map_y = from_y * np.float32(width / 2) + np.float32(centre_y - 0.5)
        maps = [cv2.resize(part, (width, height), interpolation=cv2.INTER_LINEAR) for part in (map_x, map_y)]
        done = cv2.remap(picture, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        is_whole = share == 1 or opens
        return np.asarray(done if is_whole else cv2.addWeighted(picture, 1 - share, done, share, 0), np.uint8)

    return Filter(apply, moves=True)
