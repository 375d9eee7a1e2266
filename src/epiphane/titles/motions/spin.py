"""Spin: turns upright."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="spin", label="Spin")
def spin(share: float, part: Part, amount: float) -> Motion:
    """Turns upright."""
    away = 1 - slowing(share)
    turn, size = -1.5 * math.pi * away * amount, 1 - 0.7 * away
    cos, sin = size * math.cos(turn), size * math.sin(turn)
    return Motion(cos, -sin, sin, cos, opacity=min(1.0, 2 * share)) if away else Motion()
