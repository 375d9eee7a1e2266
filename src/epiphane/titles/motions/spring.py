"""Spring: springs up from nothing, too large and too small, until it is as large as it is."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="spring", label="Spring", frames=22, stagger=0.4)
def spring(share: float, part: Part, amount: float) -> Motion:
    """Springs up from nothing, too large and too small, until it is as large as it is."""
    if share >= 1:
        return Motion()
    swung = math.exp(-5 * share) * math.cos(2 * math.pi * 2.2 * share) * (1 - share)
    size = max(0.0, 1 - swung * min(amount, 1.5)) if share > 0 else 0.0
    across = 1 + (1 - size) * 0.35  # what grows taller grows narrower
    return Motion(a=max(size * across, 0.0), d=size, opacity=min(1.0, 8 * share))
