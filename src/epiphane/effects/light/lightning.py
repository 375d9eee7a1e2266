"""Lightning: uneven strokes of cold light from the hit on, and the bolt."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.shining import lit
from epiphane.types import Float32Array, Picture, Size

_STROKES = ((0.0, 1.0), (0.09, 0.55), (0.17, 0.8))
"""When after the hit, in seconds, and how strong."""
_LASTS, _GAIN, _FLOOR, _SHRINK = 0.035, 3.2, 0.05, 2
_HALVINGS, _BRANCHES, _CROOKED, _FINE_BITS = 6, 3, 0.16, 4


@effect(
    key="lightning",
    version=1,
    family=Family.LIGHT,
    label="Lightning",
    group="Lamps",
    keywords="thunder storm bolt strike electric flash",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=300, rest=0, peak=120),
        Parameter("bolt", "Bolt", "%", low=0, high=300, rest=100, peak=100),
        Parameter("branches", "Branches", "", low=0, high=3, rest=2, peak=2, is_whole=True),
        Parameter("reach", "Reach down", "%", low=10, high=120, rest=45, peak=45),
        ColourParameter("colour", "Colour", "#c7dbff"),
    ),
    needs=(Need.SINCE, Need.TIME),
)
def lightning(values: Values) -> Operation | tuple[Operation, ...]:
    """Lights the picture up in three uneven, cold strokes from the hit on, and draws the bolt."""
    if values.strength == 0:
        return NOTHING
    since = values.since_seconds
    power = (
        max(strength * np.exp(-abs(since - at) / _LASTS) for at, strength in _STROKES) * values.strength / 100
    )
    colour = np.array(colour_to_bgr(values.colour), np.float32)
    seeds = int(values.seed), round(1000 * max(values.seconds - since, 0))

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        size = max(2, width // _SHRINK), max(2, height // _SHRINK)
        plane = _bolt(size, seeds, round(values.branches), values.reach / 100) * np.float32(values.bolt / 100)
        light = (_FLOOR + 1.6 * plane[..., None]) * np.float32(power) * colour
        gain = np.full((2, 2), 1 + _GAIN * power, np.float32)
        return lit(picture, np.asarray(light, np.float32), gain)

    return Filter(apply)


def _bolt(size: Size, seeds: tuple[int, int], depth: int, reach: float) -> Float32Array:
    """Return a bolt from above with its branches and their glow, float32, shape (height, width)."""
    width, height = size
    generator = np.random.default_rng(seeds)
    plane = np.zeros((height, width), np.float32)
    start = np.array([generator.uniform(0.25, 0.75) * width, -0.05 * height])
    end = np.array([start[0] + generator.normal(0, 0.16) * width, reach * height])
    waiting = [(start, end, 1.0, depth)]
    while waiting:
        begin, until, wide, left = waiting.pop()
        points = np.array([begin, until])
        for _ in range(_HALVINGS):  # each piece is broken in its middle, to a side (midpoint displacement)
            ways = np.diff(points, axis=0)
            beside = np.stack([-ways[:, 1], ways[:, 0]], 1) * generator.normal(0, _CROOKED, (len(ways), 1))
            middles = (points[:-1] + points[1:]) / 2 + beside
            points = np.insert(points, np.arange(1, len(points)), middles, axis=0)
        fine = np.rint(points * 2**_FINE_BITS).astype(np.int32)
        thick = max(1, round(width / 320 * wide))
        cv2.polylines(plane, [fine], False, float(wide), thick, cv2.LINE_AA, _FINE_BITS)
        for _ in range(_BRANCHES if left else 0):
            fork = points[int(generator.integers(8, 2 * len(points) // 3))]
            away = np.array(
                [generator.normal(0, 0.25) * width, generator.uniform(0.2, 0.55) * height * reach]
            )
            waiting.append((fork, fork + away, wide / 2, left - 1))
    return plane + np.float32(2.2) * cv2.GaussianBlur(plane, (0, 0), max(0.3, width / 90))
