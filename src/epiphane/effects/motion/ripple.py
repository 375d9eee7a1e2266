"""Ripple: rings run out from a point on the hit, as on water."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Field, Filter, Operation
from epiphane.effects.pixels import coarse_points, with_difference
from epiphane.types import Float32Array, Picture

_START, _RIM, _SHINE = 0.18, 0.12, 60
_FROM_LEFT, _FROM_ABOVE = -0.6, -0.8
"""Where the light comes from that lies on the slopes."""


@effect(
    key="ripple",
    version=1,
    family=Family.MOTION,
    label="Ripple",
    group="Warps",
    keywords="water rings drop shockwave wave",
    parameters=(
        Parameter("height", "Height", "% of width", low=0, high=10, rest=0, peak=2.6),
        Parameter("rings", "Rings", "over the width", low=1, high=20, rest=7, peak=7),
        Parameter("speed", "Speed", "widths a second", low=0, high=4, rest=0.9, peak=0.9),
        Parameter("width", "Spread", "% of width", low=5, high=100, rest=28, peak=28),
        Parameter("shine", "Shine", "%", low=0, high=100, rest=45, peak=45, help="Light on the slopes"),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
    ),
    needs=(Need.SINCE,),
)
def ripple(values: Values) -> Operation | tuple[Operation, ...]:
    """Sends rings out from a point when a hit comes, as a drop does on water; the rim is still."""
    if values.height == 0:
        return NOTHING
    front = 2 * (_START + values.speed * max(values.since_seconds, 0.0))
    tall, pitch, spread = values.height / 50, np.pi * values.rings, values.width / 50
    shine = values.shine / 100 * min(values.height / 2.6, 1.0)

    def ring(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, ...]:
        away_x, away_y = x - (values.centre_x / 50 - 1), y - (values.centre_y / 50 - 1) * half_height
        away = np.hypot(away_x, away_y) + 1e-4
        rim = np.clip(np.minimum(1 - np.abs(x), half_height - np.abs(y)) / _RIM, 0, 1)
        packet = np.exp(-(((away - front) / spread) ** 2)) * np.minimum(1, 6 * away) * rim
        phase = pitch * (away - front)
        return away_x / away, away_y / away, packet * np.sin(phase), packet * np.cos(phase)

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        across, down, lift, _ = ring(x, y, half_height)
        return (x + tall * lift * across).astype(np.float32), (y + tall * lift * down).astype(np.float32)

    def shone_on(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        x, y = coarse_points(picture)
        across, down, _, slope = ring(x, y, height / width)
        light = slope * (_FROM_LEFT * across + _FROM_ABOVE * down) * (_SHINE * shine)
        small = np.clip(np.rint(light) + 128, 0, 255).astype(np.uint8)
        large = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
        return with_difference(picture, np.asarray(cv2.merge([large] * 3), np.uint8))

    return (Field(source), Filter(shone_on)) if shine else Field(source)
