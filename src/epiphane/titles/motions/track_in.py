"""Track in: comes together from both sides."""

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="track-in", label="Track in", frames=20, stagger=0.0)
def track_in(share: float, part: Part, amount: float) -> Motion:
    """Comes together from both sides."""
    away = (1 - slowing(share)) * amount
    return Motion(x=0.7 * away * part.x, opacity=share)
