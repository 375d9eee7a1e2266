"""Scale: grows out of its middle, and a little too large."""

from epiphane.titles.motions.declare import Motion, Part, motion, overshooting


@motion(key="scale", label="Scale")
def scale(share: float, part: Part, amount: float) -> Motion:
    """Grows out of its middle, and a little too large."""
    size = 1 + (overshooting(share) - 1) * min(amount, 1.0)
    return Motion(a=max(size, 0.0), d=max(size, 0.0), opacity=min(1.0, 3 * share))
