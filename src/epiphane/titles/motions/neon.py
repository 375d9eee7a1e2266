"""Neon: starts badly: glows faintly, flashes, goes out, and then stays."""

from epiphane.titles.motions.declare import Motion, Part, motion

_STRIKES = 13


@motion(key="neon", label="Neon start", frames=26, stagger=0.35)
def neon(share: float, part: Part, amount: float) -> Motion:
    """Starts badly: glows faintly, flashes, goes out, and then stays."""
    if share >= 1:
        return Motion()
    strike = int(share * _STRIKES)
    chance = (part.chances[strike % 3] * (strike + 3) * 7.91) % 1.0
    # The longer it has been on, the more often a strike holds; a bad letter is the last.
    holds = chance < share**1.4 * (1.15 - 0.5 * part.chances[0])
    faint = 0.16 * min(1.0, 3 * share) * (0.6 + 0.4 * chance)
    return Motion(opacity=1.0 if holds else faint, blur=0.0 if holds else 0.05 * amount)
