"""Flip: turns up about its own line, in depth."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion, slowing

_EYE = 3.0
"""How far the eye is from what turns, in heights of it."""


@motion(key="flip", label="Flip")
def flip(share: float, part: Part, amount: float) -> Motion:
    """Turns up about its own line, in depth."""
    angle = 0.5 * math.pi * (1 - slowing(share)) * min(amount, 1.0)
    if not angle:
        return Motion()
    away = _EYE * max(part.height, 0.5)
    return Motion(d=math.cos(angle), down=math.sin(angle) / away, opacity=min(1.0, 3 * share))
