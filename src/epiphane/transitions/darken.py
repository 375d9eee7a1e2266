"""Darken dissolve: the darker picture wins at each point."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Blend, Join, Progress, Weighted, transition


@transition(
    key="darken",
    version=1,
    family=Family.LIGHT,
    label="Darken dissolve",
    group="Dissolves",
    keywords="cross fade shadows",
)
def darken(_values: Values, progress: Progress) -> Join:
    """Lets the shadows of both pictures stand in the middle: the darker of both at each point."""
    weights = min(1, 2 - 2 * progress.share), min(1, 2 * progress.share)
    return Join(Weighted(*weights, Blend.DARKEN_LIGHT if progress.in_light else Blend.DARKEN))
