"""Bounce: the picture is thrown up by the hit, falls, and bounces."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation
from epiphane.effects.turning import direction, turned


def _flight(seconds: float, length: float, kept: float) -> tuple[float, float]:
    """Return how high a ball is, 1 at its highest, and how hard it just met the ground, 0 to 1.

    Each flight is a parabola; its height falls by `kept` and its time by the root of that.
    """
    height, begun, time = 1.0, 0.0, length
    while seconds - begun >= time and height > 0.01:
        begun, height, time = begun + time, height * kept, time * np.sqrt(kept)
    if height <= 0.01 or time < 1e-3:
        return 0.0, 0.0
    share = (seconds - begun) / time
    return height * 4 * share * (1 - share), height * float(np.exp(-6 * min(share, 1 - share) ** 0.5 * 2))


_NEARER = 3.2


@effect(
    key="bounce",
    version=1,
    family=Family.MOTION,
    label="Bounce",
    group="Camera",
    keywords="jump ball drop fall spring hop",
    parameters=(
        Parameter("height", "Height", "% of width", low=0, high=60, rest=0, peak=9),
        Parameter("length", "First bounce", "seconds", low=0.08, high=2, rest=0.34, peak=0.34),
        Parameter("kept", "Kept", "%", low=0, high=95, rest=55, peak=55, help="Of the height, each time"),
        Parameter("way", "Way", "°", low=-180, high=180, rest=-90, peak=-90, help="-90 is up"),
        Parameter("squash", "Squashed", "%", low=0, high=60, rest=12, peak=12, help="Where it lands"),
        OPEN_SHUTTER,
    ),
    needs=(Need.ASPECT, Need.SINCE),
)
def bounce(values: Values) -> Operation | tuple[Operation, ...]:
    """Throws the picture up on the hit; it falls and bounces, less each time, and is squashed as it lands."""
    if values.height == 0:
        return NOTHING
    away, near_ground = _flight(max(values.since_seconds, 0.0), values.length, values.kept / 100)
    x, y = direction(values.way) * (values.height / 100 * away)
    # On the hit itself it is struck: larger by its squash, however high it will fly.
    strength = min(values.height / 9, 1.0)
    # Nearer as it is thrown, as it must be for no edge to be seen.
    scale = 1 + strength * values.squash / 100 * near_ground + _NEARER * values.height / 100 * away
    return turned(0.0, scale=scale, shift=(float(x), float(y)), aspect=values.aspect)
