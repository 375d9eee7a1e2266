"""Flash through: the picture burns out, and the next one comes out of the light."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.effects.operations import Tone, ToneCurve, diagonal_tone, gaussian_blur
from epiphane.effects.shining import exposed_levels
from epiphane.transitions.declare import FIRST, SECOND, Join, Progress, transition

_LIGHT, _LEVELS = "light", "levels"
_LIFT = 0.35


@transition(
    key="flash-through",
    version=2,
    family=Family.LIGHT,
    label="Flash through",
    group="Light",
    parameters=(
        Parameter("burn", "Burn out", "stops", low=0, high=6, rest=0, peak=4),
        ColourParameter("colour", "Colour", "#fff4dc"),
        Parameter("spread", "Spread", "% of width", low=0, high=10, rest=0, peak=1.5),
        ChoiceParameter(
            "burns", "It burns", (_LIGHT, _LEVELS), _LIGHT, help="Light leaves the darks their drawing"
        ),
    ),
    frames=(4, 9),
    keywords="white burn light exposure",
)
def flash_through(values: Values, progress: Progress) -> Join:
    """Lifts the exposure until the picture is one colour, and lets the next one come out of it."""
    near = progress.nearness
    light = near**2
    colour = np.array(colour_to_bgr(values.colour))
    if values.burns == _LIGHT:
        tone: Tone | ToneCurve = ToneCurve(exposed_levels(values.burn * near, lift=_LIFT * light * colour))
    else:
        gain = 2 ** (values.burn * near) * (1 - light)
        tone = diagonal_tone(np.full(3, gain), 255 * light * colour)
    blur = gaussian_blur(values.spread / 100 * near, in_light=progress.in_light)
    return Join(FIRST if progress.share < 0.5 else SECOND, after=(blur, tone))
