"""Flip: turns up about its own line."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="flip", label="Flip")
def flip(share: float, part: Part, amount: float) -> Motion:
    """Turns up about its own line."""
    angle = 0.5 * math.pi * (1 - slowing(share)) * min(amount, 1.0)
    return Motion(d=math.cos(angle), opacity=min(1.0, 3 * share)) if angle else Motion()
