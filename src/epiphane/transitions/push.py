"""Push: the next picture pushes this one out."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, smeared, window
from epiphane.types import Picture


@transition(
    key="push",
    version=1,
    family=Family.MOTION,
    label="Push",
    parameters=(
        direction_parameter(),
        Parameter("shutter", "Motion blur", "°", low=0, high=360, rest=0, peak=0),
    ),
    keywords="scroll move",
)
def push(values: Values, progress: Progress) -> Join:
    """Moves both pictures one width along, the next one at the heels of this one."""
    length = progress.step * values.shutter / 360

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        seen = window(outgoing, incoming, progress.share, progress.step)
        return smeared(seen, length * seen.shape[1])

    return Join(Composed(leftward(values.direction, apply)))
