"""Flash through: the picture burns out, and the next one comes out of the light."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.effects.operations import diagonal_tone, gaussian_blur
from epiphane.transitions.declare import FIRST, SECOND, Join, Progress, transition


@transition(
    key="flash-through",
    version=1,
    family=Family.LIGHT,
    label="Flash through",
    parameters=(
        Parameter("burn", "Burn out", "stops", low=0, high=6, rest=0, peak=2),
        ColourParameter("colour", "Colour", "#fff4dc"),
        Parameter("spread", "Spread", "% of width", low=0, high=10, rest=0, peak=1.5),
    ),
    frames=(4, 9),
    keywords="white burn light exposure",
)
def flash_through(values: Values, progress: Progress) -> Join:
    """Lifts the exposure until the picture is one colour, and lets the next one come out of it."""
    near = progress.nearness
    light = near**2
    gain = 2 ** (values.burn * near) * (1 - light)
    tone = diagonal_tone(np.full(3, gain), 255 * light * np.array(colour_to_bgr(values.colour)))
    blur = gaussian_blur(values.spread / 100 * near, in_light=progress.in_light)
    return Join(FIRST if progress.share < 0.5 else SECOND, after=(blur, tone))
