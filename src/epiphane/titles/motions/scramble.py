"""Scramble: shows other letters, ever more slowly, until each is its own."""

from epiphane.titles.motions.declare import Motion, Part, motion

_CHANGES = 11


@motion(key="scramble", label="Scramble", frames=22, stagger=0.55)
def scramble(share: float, part: Part, amount: float) -> Motion:
    """Shows other letters, ever more slowly, until each is its own."""
    if share >= 1:
        return Motion()
    change = int(_CHANGES * (1 - (1 - share) ** 2))
    other = (part.chances[change % 3] * (change + 2) * 5.77) % 1.0
    return Motion(opacity=1.0 if share > 0 else 0.0, other=max(other, 0.01))
