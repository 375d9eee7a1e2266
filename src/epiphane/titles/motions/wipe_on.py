"""Wipe on: is uncovered from its left to its right."""

from epiphane.document.titles import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="wipe-on", label="Wipe on", frames=14, unit=TextUnit.LINE, stagger=0.5)
def wipe_on(share: float, part: Part, amount: float) -> Motion:
    """Is uncovered from its left to its right."""
    return Motion(shown=slowing(share), x=-0.25 * amount * (1 - slowing(share)))
