"""Slam: falls into the picture from before it, tilted and ever faster, and stops dead."""

from epiphane.document.titles import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion

_TILT = 0.45
"""How much nearer the upper edge is than the lower one when it comes, as a share of their distance."""


@motion(key="slam", label="Slam", frames=9, unit=TextUnit.BLOCK, stagger=0.5, is_smeared=True)
def slam(share: float, part: Part, amount: float) -> Motion:
    """Falls into the picture from before it, tilted and ever faster, and stops dead."""
    away = 1 - share**2.2
    if not away:
        return Motion()
    size = (1 + 4 * amount) ** away
    tilt = _TILT * away * min(amount, 1.5) / max(part.height, part.width / 2, 0.5)
    return Motion(a=size, d=size, down=tilt, opacity=min(1.0, 4 * share))
