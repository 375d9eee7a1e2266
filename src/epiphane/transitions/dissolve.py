"""Dissolve: one picture fades into the next."""

from epiphane.declare.parameters import ChoiceParameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Blend, Join, Progress, Weighted, transition

_LEVELS, _LIGHT = "levels", "light"


@transition(
    key="dissolve",
    version=1,
    family=Family.LIGHT,
    label="Dissolve",
    keywords="cross fade crossfade mix film optical linear light",
    parameters=(
        ChoiceParameter(
            "mixes",
            "It mixes",
            (_LEVELS, _LIGHT),
            _LEVELS,
            help="Light, as on film: what is bright stays in sight longer, and the middle is not grey",
        ),
    ),
)
def dissolve(values: Values, progress: Progress) -> Join:
    """Fades one picture into the next: ``(1 - t) a + t b``, of levels or of light."""
    how = Blend.ADD_LIGHT if values.mixes == _LIGHT else Blend.ADD
    return Join(Weighted(1 - progress.share, progress.share, how))
