"""Additive dissolve: both pictures shine together."""

from epiphane.declare.parameters import ChoiceParameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.shining import lights_added
from epiphane.transitions.declare import Composed, Join, Progress, Weighted, transition
from epiphane.types import Picture

_LIGHT, _LEVELS = "light", "levels"


@transition(
    key="additive",
    version=2,
    family=Family.LIGHT,
    label="Additive dissolve",
    group="Dissolves",
    parameters=(
        ChoiceParameter(
            "adds", "It adds", (_LIGHT, _LEVELS), _LIGHT, help="Light keeps its drawing in the middle"
        ),
    ),
    keywords="cross fade bright plus",
)
def additive(values: Values, progress: Progress) -> Join:
    """Adds both pictures in the middle, which burns out: ``min(1, 2 - 2 t) a + min(1, 2 t) b``."""
    weights = min(1, 2 - 2 * progress.share), min(1, 2 * progress.share)
    if values.adds == _LEVELS or 0 in weights:
        return Join(Weighted(*weights))

    def added(outgoing: Picture, incoming: Picture) -> Picture:
        return lights_added(outgoing, weights[0], incoming, weights[1])

    return Join(Composed(added))
