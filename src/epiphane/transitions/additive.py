"""Additive dissolve: both pictures shine together."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, Weighted, transition


@transition(
    key="additive",
    version=1,
    family=Family.LIGHT,
    label="Additive dissolve",
    keywords="cross fade bright plus",
)
def additive(_values: Values, progress: Progress) -> Join:
    """Adds both pictures in the middle, which burns out: ``min(1, 2 - 2 t) a + min(1, 2 t) b``."""
    return Join(Weighted(min(1, 2 - 2 * progress.share), min(1, 2 * progress.share)))
