"""Scatter: comes from everywhere."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="scatter", label="Scatter", frames=18, stagger=0.3, is_smeared=True)
def scatter(share: float, part: Part, amount: float) -> Motion:
    """Comes from everywhere."""
    away = (1 - slowing(share)) * amount
    turn = (part.chances[2] - 0.5) * 4 * away
    cos, sin = math.cos(turn), math.sin(turn)
    across, down = (6 * (chance - 0.5) * away for chance in part.chances[:2])
    return Motion(cos, -sin, sin, cos, across, down, min(1.0, 2 * share)) if away else Motion()
