"""Wave: rides on a wave that runs along the line and ebbs away."""

import math

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="wave-in", label="Wave", frames=26, stagger=0.5)
def wave_in(share: float, part: Part, amount: float) -> Motion:
    """Rides on a wave that runs along the line and ebbs away."""
    if share >= 1:
        return Motion()
    ebb = (1 - share) ** 1.5 * amount
    lift = math.sin(2 * math.pi * (1.5 * share + 0.12 * part.x))
    lean = 0.35 * ebb * math.cos(2 * math.pi * (1.5 * share + 0.12 * part.x))
    return Motion(b=lean, y=-0.7 * ebb * lift, opacity=min(1.0, 3 * share))
