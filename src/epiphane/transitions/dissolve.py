"""Dissolve: one picture fades into the next."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, Weighted, transition


@transition(
    key="dissolve",
    version=1,
    family=Family.LIGHT,
    label="Dissolve",
    keywords="cross fade crossfade mix",
)
def dissolve(_values: Values, progress: Progress) -> Join:
    """Fades one picture into the next: ``(1 - t) a + t b``."""
    return Join(Weighted(1 - progress.share, progress.share))
