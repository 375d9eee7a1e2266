"""Two-tone: from one colour in the shadows to another in the lights."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.colour_sets import colours_of, colours_parameter
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.effects.pixels import LUMA


@effect(
    key="duotone",
    version=1,
    family=Family.COLOUR,
    label="Two-tone",
    group="Tints",
    keywords="two colours tone map grade",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ColourParameter("shadows", "Shadows", "#2b1b52"),
        ColourParameter("lights", "Lights", "#ffd9a0"),
        colours_parameter(),
    ),
    lasts=True,
)
def duotone(values: Values) -> Tone:
    """Shows everything from one colour in the shadows to another in the lights, by brightness."""
    share = values.amount / 100
    first, _, last = colours_of(values.colours, (values.shadows, values.shadows, values.lights))
    dark, light = (255 * np.array(colour_to_bgr(text)) for text in (first, last))
    matrix = (1 - share) * np.eye(3) + share * np.outer((light - dark) / 255, LUMA)
    return Tone(np.column_stack([matrix, share * dark]))
