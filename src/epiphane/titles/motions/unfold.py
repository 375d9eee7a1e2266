"""Unfold: is drawn out across from its middle."""

from epiphane.document.titles import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="unfold", label="Unfold", unit=TextUnit.LINE, stagger=0.3)
def unfold(share: float, part: Part, amount: float) -> Motion:
    """Is drawn out across from its middle."""
    return Motion(a=1 - (1 - slowing(share)) * min(amount, 1.0))
