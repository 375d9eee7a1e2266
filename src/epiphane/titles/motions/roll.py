"""Roll: rolls in from the left, as a wheel does, and comes to rest upright."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="roll", label="Roll", frames=20, stagger=0.45, is_smeared=True)
def roll(share: float, part: Part, amount: float) -> Motion:
    """Rolls in from the left, as a wheel does, and comes to rest upright."""
    away = -3.0 * (1 - slowing(share)) * amount
    if not away:
        return Motion()
    turn = away / (part.height / 2 or 0.5)  # a way as long as its rim
    cos, sin = math.cos(turn), math.sin(turn)
    return Motion(cos, -sin, sin, cos, x=away, opacity=min(1.0, 3 * share))
