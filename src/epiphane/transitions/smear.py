"""Smear: the edge of this picture is drawn out over it, and the next one stands behind."""

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward
from epiphane.types import Picture


@transition(
    key="smear",
    version=1,
    family=Family.GLITCH,
    label="Smear",
    parameters=(direction_parameter("right"),),
    frames=(6, 6),
    keywords="pixel stretch streak drag",
)
def smear(values: Values, progress: Progress) -> Join:
    """Draws the pixels at a moving edge out to the end of the picture; behind it lies the next one."""

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        done = incoming.copy()
        at = round((1 - progress.share) * outgoing.shape[1])
        if at > 0:
            done[:, :at] = outgoing[:, at - 1 : at]
        return done

    return Join(Composed(leftward(values.direction, apply)))
