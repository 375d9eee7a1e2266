"""Strobe: bright and not, many times a second, while the envelope is up."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve, diagonal_tone
from epiphane.effects.pixels import random_values, step_at
from epiphane.effects.shining import exposed_levels

_LIGHT, _BLACK, _NEGATIVE, _COLOUR = "light", "black", "negative", "a colour"
_STOPS, _LIFT = 3.4, 0.06
_EVEN, _PAIRS, _LONG_SHORT, _RANDOM = "even", "in pairs", "long and short", "at random"
_ON = {
    _EVEN: (True, False),
    _PAIRS: (True, False, True, False, False, False),
    _LONG_SHORT: (True,) * 3 + (False, True, False),
}


def _is_on(values: Values) -> bool:
    """Return whether it flashes: by halves of a flash that are on or off."""
    half = step_at(values.seconds, 2 * values.rate)
    if values.pattern == _RANDOM:
        return float(random_values(int(values.seed), half, 1)[0]) > 0
    halves = _ON[str(values.pattern)]
    return halves[half % len(halves)]


@effect(
    key="strobe",
    version=2,
    family=Family.LIGHT,
    label="Strobe",
    group="Exposure",
    keywords="flicker blink",
    parameters=(
        Parameter("opacity", "Strength", "%", low=0, high=100, rest=0, peak=100),
        Parameter("rate", "Flashes", "a second", low=1, high=30, rest=10, peak=10),
        ColourParameter("colour", "Colour", "#ffffff"),
        ChoiceParameter(
            "shows", "It shows", (_LIGHT, _BLACK, _NEGATIVE, _COLOUR), _LIGHT, help="In each flash"
        ),
        ChoiceParameter("pattern", "Pattern", (_EVEN, _PAIRS, _LONG_SHORT, _RANDOM), _EVEN),
    ),
    needs=(Need.TIME,),
)
def strobe(values: Values) -> Operation | tuple[Operation, ...]:
    """Flashes many times a second: light, black, a negative or a colour for half of each, then nothing."""
    if values.opacity == 0 or not _is_on(values):
        return NOTHING
    share, colour = values.opacity / 100, np.array(colour_to_bgr(values.colour))
    if values.shows == _LIGHT:
        return ToneCurve(exposed_levels(_STOPS * share, lift=_LIFT * share * colour))
    if values.shows == _BLACK:
        return diagonal_tone(np.full(3, 1 - share), np.zeros(3))
    if values.shows == _NEGATIVE:
        return diagonal_tone(np.full(3, 1 - 2 * share), np.full(3, 255 * share))
    return diagonal_tone(np.full(3, 1 - share), 255 * share * colour)
