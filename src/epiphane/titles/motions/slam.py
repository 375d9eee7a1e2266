"""Slam: falls into the picture from before it, ever faster, and stops dead."""

from epiphane.document.text import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="slam", label="Slam", frames=9, unit=TextUnit.BLOCK, stagger=0.5, is_smeared=True)
def slam(share: float, part: Part, amount: float) -> Motion:
    """Falls into the picture from before it, ever faster, and stops dead."""
    away = 1 - share**2.2
    size = (1 + 4 * amount) ** away
    return Motion(a=size, d=size, opacity=min(1.0, 4 * share))
