"""Speed lines: wedges drawn from the edge towards a point."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture

_WIDEST, _THINNEST, _RAGGED, _FARTHER = 0.016, 0.15, 0.3, 0.5
_FINE_BITS, _LEAST_WIDTH = 4, 960


@effect(
    key="speed-lines",
    version=1,
    family=Family.MOTION,
    label="Speed lines",
    group="Camera",
    keywords="comic manga focus zoom radial impact",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Lines", "", low=5, high=600, rest=150, peak=150, is_whole=True),
        Parameter("inner", "Free middle", "%", low=0, high=100, rest=34, peak=34),
        Parameter("thickness", "Thickness", "%", low=10, high=400, rest=100, peak=100),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=12, peak=12),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        ColourParameter("colour", "Colour", "#ffffff"),
    ),
    needs=(Need.TIME,),
)
def speed_lines(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws wedges from the edge towards a point, others some times a second; they come in from outside."""
    if values.amount == 0:
        return NOTHING
    level, count = values.amount / 100, round(values.count)
    generator = np.random.default_rng((int(values.seed), step_at(values.seconds, values.rate)))
    chances = generator.random((count, 3))
    colour = 255 * np.array(colour_to_bgr(values.colour))

    def apply(picture: Picture) -> Picture:
        # Never smaller than so: a line finer than a pixel would be drawn as wide as one.
        finer = max(1, -(-_LEAST_WIDTH // picture.shape[1]))
        height, width = (finer * side for side in picture.shape[:2])
        middle = np.array([values.centre_x / 100 * width, values.centre_y / 100 * height])
        mask = np.zeros((height, width), np.uint8)
        far = float(np.hypot(width, height))
        for turn, wide, ragged in chances:
            angle = 2 * np.pi * turn
            half = (_THINNEST + wide**2) * _WIDEST * values.thickness / 100 * min(3 * level, 1.0)
            start = (values.inner / 100 + _RAGGED * ragged) * width / 2
            start += (1 - level) * (far - start) * _FARTHER
            ends = [(angle, start), (angle - half, far), (angle + half, far)]
            points = [middle + distance * np.array([np.cos(way), np.sin(way)]) for way, distance in ends]
            fine = np.rint(np.array(points) * 2**_FINE_BITS).astype(np.int32)
            cv2.fillConvexPoly(mask, fine, 255, cv2.LINE_AA, _FINE_BITS)
        seen = cv2.resize(mask, picture.shape[1::-1], interpolation=cv2.INTER_AREA)
        shares = cv2.convertScaleAbs(cv2.merge([seen] * 3), alpha=min(4 * level, 1.0))
        flat = np.broadcast_to(np.rint(colour).astype(np.uint8), picture.shape)
        drawn = cv2.multiply(np.ascontiguousarray(flat), shares, scale=1 / 255)
        left = cv2.multiply(picture, cv2.bitwise_not(shares), scale=1 / 255)
        return np.asarray(cv2.add(drawn, left), np.uint8)

    return Filter(apply)
