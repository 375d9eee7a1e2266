"""Glitch on: jumps about, torn into bands, until it stays."""

from epiphane.document.titles import TextUnit
from epiphane.titles.motions.declare import Motion, Part, motion

_JUMPS = 9


@motion(key="glitch-on", label="Glitch on", frames=15, unit=TextUnit.WORD, stagger=0.3)
def glitch_on(share: float, part: Part, amount: float) -> Motion:
    """Jumps about, torn into bands, until it stays."""
    if share >= 1:
        return Motion()
    jump = int(share * _JUMPS)
    turn = (part.chances[jump % 3] * (jump + 1) * 7.31) % 1.0
    left = amount * (1 - share)
    is_seen = share > 0 and (turn > 0.35 * (1 - share) or jump % 2 == 1)
    seed = 1 + jump + 31 * int(1000 * part.chances[0])
    return Motion(x=1.2 * left * (turn - 0.5), opacity=float(is_seen), torn=0.9 * left * turn, torn_seed=seed)
