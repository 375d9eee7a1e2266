"""Blur in: becomes sharp."""

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="blur-in", label="Blur in", frames=16)
def blur_in(share: float, part: Part, amount: float) -> Motion:
    """Becomes sharp."""
    return Motion(blur=0.25 * (1 - slowing(share)) * amount, opacity=share)
