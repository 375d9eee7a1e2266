"""Rise: comes up from below."""

from epiphane.titles.motions.declare import Motion, Part, motion, slowing


@motion(key="rise", label="Rise")
def rise(share: float, part: Part, amount: float) -> Motion:
    """Comes up from below."""
    away = (1 - slowing(share)) * amount
    return Motion(y=0.8 * away, opacity=min(1.0, 2 * share))
