"""Pen: is written, along the strokes of each letter."""

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="pen", label="Pen", frames=36, stagger=0.95)
def pen(share: float, part: Part, amount: float) -> Motion:
    """Is written, along the strokes of each letter."""
    return Motion(written=share, opacity=1.0 if share > 0 else 0.0)
