"""Flicker on: flickers, ever less, until it stays."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="flicker-on", label="Flicker on", frames=20, stagger=0.2)
def flicker_on(share: float, part: Part, amount: float) -> Motion:
    """Flickers, ever less, until it stays."""
    if share >= 1:
        return Motion()
    beat = math.sin(40 * share * (0.6 + part.chances[0]) + 7 * part.chances[1])
    return Motion(opacity=1.0 if beat < 2 * share - 1 else 0.0)
