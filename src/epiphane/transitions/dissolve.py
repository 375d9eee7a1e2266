"""Dissolve: one picture fades into the next."""

from epiphane.declare.parameters import ChoiceParameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Blend, Join, Progress, Weighted, transition

_AS_THE_FILM, _LEVELS, _LIGHT = "as the film", "levels", "light"


@transition(
    key="dissolve",
    version=1,
    family=Family.LIGHT,
    label="Dissolve",
    group="Dissolves",
    keywords="cross fade crossfade mix film optical linear light",
    parameters=(
        ChoiceParameter(
            "mixes",
            "It mixes",
            (_AS_THE_FILM, _LEVELS, _LIGHT),
            _AS_THE_FILM,
            help="Light, as on film: what is bright stays in sight longer, and the middle is not grey",
        ),
    ),
)
def dissolve(values: Values, progress: Progress) -> Join:
    """Fades one picture into the next: ``(1 - t) a + t b``, of levels or of light."""
    how = {_LEVELS: Blend.ADD, _LIGHT: Blend.ADD_LIGHT}.get(values.mixes, progress.adding)
    return Join(Weighted(1 - progress.share, progress.share, how))
