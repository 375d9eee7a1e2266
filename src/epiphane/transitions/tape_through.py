"""Tape through: the tape tears between two pictures."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import FIRST, SECOND, Join, Progress, transition
from epiphane.transitions.mixing import chances_of
from epiphane.transitions.with_effect import effect_in

_STEPS = 12


@transition(
    key="tape-through",
    version=1,
    family=Family.GLITCH,
    label="Tape through",
    group="Glitches",
    parameters=(
        Parameter("tape", "Worn", "%", low=0, high=100, rest=0, peak=100),
        Parameter("roll", "Rolls", "a second", low=0, high=4, rest=0, peak=1.6),
        Parameter("snow", "Snow", "%", low=0, high=100, rest=0, peak=45),
    ),
    frames=(5, 7),
    keywords="vhs video cassette analogue tracking signal glitch",
)
def tape_through(values: Values, progress: Progress) -> Join:
    """Wears the tape out towards the cut: late colour, torn lines, snow; the next one comes in fits."""
    near = progress.nearness
    # About the middle it is one or the other, by chance; never mixed, as it is a fault.
    chance = float(chances_of(progress.seed + 31 * round(progress.share * _STEPS), (1,))[0])
    is_next = progress.share + 0.3 * (chance - 0.5) * near >= 0.5
    lost = effect_in("signal-loss", near**2, progress, snow=values.snow, roll=values.roll)
    worn = effect_in("broken-tape", min(1.5 * near, 1.0), progress, amount=values.tape)
    return Join(SECOND if is_next else FIRST, after=(*lost, *worn))
