"""Lighten dissolve: the lighter picture wins at each point."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Blend, Join, Progress, Weighted, transition


@transition(
    key="lighten",
    version=1,
    family=Family.LIGHT,
    label="Lighten dissolve",
    group="Dissolves",
    keywords="cross fade lights",
)
def lighten(_values: Values, progress: Progress) -> Join:
    """Lets the lights of both pictures stand in the middle: the lighter of both at each point."""
    weights = min(1, 2 - 2 * progress.share), min(1, 2 * progress.share)
    return Join(Weighted(*weights, Blend.LIGHTEN_LIGHT if progress.in_light else Blend.LIGHTEN))
