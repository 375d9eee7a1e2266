"""Dip: the picture goes to a colour and comes back as the next one."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.effects.operations import diagonal_tone
from epiphane.transitions.declare import FIRST, SECOND, Join, Progress, transition


@transition(
    key="dip",
    version=1,
    family=Family.LIGHT,
    label="Dip to colour",
    parameters=(ColourParameter("colour", "Colour", "#000000"),),
    keywords="fade black white through",
)
def dip(values: Values, progress: Progress) -> Join:
    """Fades to a colour and from it: ``|1 - 2 t| p + (1 - |1 - 2 t|) c``."""
    share = progress.nearness
    colour = 255 * share * np.array(colour_to_bgr(values.colour))
    tone = diagonal_tone(np.full(3, 1 - share), colour)
    return Join(FIRST if progress.share < 0.5 else SECOND, after=(tone,))
