"""Slide: comes from the side."""

from epiphane.document.titles import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="slide", label="Slide", unit=TextUnit.LINE, stagger=0.4, is_smeared=True)
def slide(share: float, part: Part, amount: float) -> Motion:
    """Comes from the side."""
    away = (1 - slowing(share)) * amount
    return Motion(x=-2.5 * away, opacity=min(1.0, 2 * share))
