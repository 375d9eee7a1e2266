"""Swing: hangs by its upper edge, and swings until it is still."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion

_SWINGS, _WIDE = 2.25, 1.2


@motion(key="swing", label="Swing", frames=28, stagger=0.3)
def swing(share: float, part: Part, amount: float) -> Motion:
    """Hangs by its upper edge, and swings until it is still."""
    if share >= 1:
        return Motion()
    turn = _WIDE * amount * (1 - share) ** 2 * math.cos(2 * math.pi * _SWINGS * share)
    cos, sin = math.cos(turn), math.sin(turn)
    half = part.height / 2
    # About the middle of the upper edge, which stays.
    return Motion(cos, -sin, sin, cos, x=-sin * half, y=-half + cos * half, opacity=min(1.0, 5 * share))
