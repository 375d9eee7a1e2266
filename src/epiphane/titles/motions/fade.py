"""Fade: comes out of nothing."""

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="fade", label="Fade", frames=14, stagger=0.5)
def fade(share: float, part: Part, amount: float) -> Motion:
    """Comes out of nothing."""
    return Motion(opacity=share)
