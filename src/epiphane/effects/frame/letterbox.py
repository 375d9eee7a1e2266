"""Letterbox: bars above and below."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture


@effect(
    key="letterbox",
    version=1,
    family=Family.FRAME,
    label="Letterbox",
    group="Edges",
    keywords="bars cinema widescreen crop black bars aspect",
    parameters=(
        Parameter("closed", "Closed", "%", low=0, high=100, rest=0, peak=25),
        ColourParameter("colour", "Colour", "#000000"),
    ),
    needs=(Need.ASPECT,),
    lasts=True,
)
def letterbox(values: Values) -> Operation | tuple[Operation, ...]:
    """Closes bars from above and below, or from both sides of an upright picture."""
    if values.closed == 0:
        return NOTHING
    colour = np.round(255 * np.array(colour_to_bgr(values.colour)))
    is_upright = values.aspect < 1

    def apply(picture: Picture) -> Picture:
        done = picture.copy()
        lines = done.swapaxes(0, 1) if is_upright else done
        reach = values.closed / 200 * len(lines)
        whole = int(reach)
        # The line that the edge runs through is mixed, so that bars move smoothly.
        for part in (lines, lines[::-1]):
            part[:whole] = colour
            if whole < len(part):
                share = reach - whole
                part[whole] = np.round(part[whole] + share * (colour - part[whole]))
        return done

    return Filter(apply)
