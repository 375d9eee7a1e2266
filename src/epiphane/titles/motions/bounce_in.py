"""Bounce: falls from above and bounces on its line."""

from epiphane.titles.motions.declare import Motion, Part, motion

_FLIGHTS = ((0.0, 0.42, 1.0), (0.42, 0.74, 0.28), (0.74, 0.92, 0.09), (0.92, 1.0, 0.02))
"""From and to which share of the way each flight lasts, and how high it is; the first one is half of one."""


@motion(key="bounce-in", label="Bounce", frames=24, stagger=0.4, is_smeared=True)
def bounce_in(share: float, part: Part, amount: float) -> Motion:
    """Falls from above and bounces on its line."""
    if share >= 1:
        return Motion()
    begin, end, height = next(one for one in _FLIGHTS if share < one[1])
    place = (share - begin) / (end - begin)
    above = 1 - place * place if begin == 0 else 4 * place * (1 - place)
    return Motion(y=-2.2 * amount * height * above, opacity=min(1.0, 6 * share))
