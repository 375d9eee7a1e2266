"""Push: the next picture pushes this one out."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, seam_parameter, shutter_parameter, smeared, window
from epiphane.types import Picture


@transition(
    key="push",
    version=2,
    family=Family.MOTION,
    label="Push",
    group="Moves",
    parameters=(direction_parameter(), shutter_parameter(), seam_parameter()),
    keywords="scroll move",
)
def push(values: Values, progress: Progress) -> Join:
    """Moves both pictures one width along, the next one at the heels of this one."""
    length = progress.step * values.shutter / 360

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        seen = window(outgoing, incoming, progress.share, progress.step, seam=values.seam / 100)
        return smeared(seen, length * seen.shape[1], in_light=progress.in_light)

    return Join(Composed(leftward(values.direction, apply)))
