"""Type on: is there at once, one after the other."""

from epiphane.titles.motions.declare import Motion, Part, motion


@motion(key="type-on", label="Type on", frames=20, stagger=1.0)
def type_on(share: float, part: Part, amount: float) -> Motion:
    """Is there at once, one after the other."""
    return Motion(opacity=1.0 if share >= 1 else 0.0)
