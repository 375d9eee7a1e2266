"""Drop: falls from above, and a little too far."""

from epiphane.titles.motions.declare import Motion, Part, motion, overshooting


@motion(key="drop", label="Drop")
def drop(share: float, part: Part, amount: float) -> Motion:
    """Falls from above, and a little too far."""
    away = (1 - overshooting(share)) * amount
    return Motion(y=-1.2 * away, opacity=min(1.0, 3 * share))
