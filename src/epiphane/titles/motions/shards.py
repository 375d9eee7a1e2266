"""Shards: comes together out of broken pieces."""

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="shards", label="Shards", frames=18, stagger=0.35)
def shards(share: float, part: Part, amount: float) -> Motion:
    """Comes together out of broken pieces."""
    away = (1 - slowing(share)) * amount
    if share >= 1:
        return Motion()
    return Motion(opacity=min(1.0, 3 * share), broken=1.8 * away, torn_seed=1 + int(9973 * part.chances[0]))
