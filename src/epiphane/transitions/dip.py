"""Dip: the picture goes to a colour and comes back as the next one."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.effects.operations import Tone, ToneCurve, diagonal_tone
from epiphane.effects.shining import dimmed_levels
from epiphane.transitions.declare import FIRST, SECOND, Join, Progress, transition

_LIGHT, _LEVELS = "light", "levels"


@transition(
    key="dip",
    version=2,
    family=Family.LIGHT,
    label="Dip to colour",
    group="Light",
    parameters=(
        ColourParameter("colour", "Colour", "#000000"),
        ChoiceParameter("takes", "It takes", (_LIGHT, _LEVELS), _LIGHT, help="Light goes as if turned down"),
    ),
    keywords="fade black white through",
)
def dip(values: Values, progress: Progress) -> Join:
    """Takes the light away until one colour is left, and gives it back; of levels: ``(1 - n) p + n c``."""
    share, colour = progress.nearness, np.array(colour_to_bgr(values.colour))
    if values.takes == _LIGHT:
        tone: Tone | ToneCurve = ToneCurve(dimmed_levels(share, colour))
    else:
        tone = diagonal_tone(np.full(3, 1 - share), 255 * share * colour)
    return Join(FIRST if progress.share < 0.5 else SECOND, after=(tone,))
