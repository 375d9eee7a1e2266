"""Border: a line round the picture."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture


@effect(
    key="border",
    version=1,
    family=Family.FRAME,
    label="Border",
    group="Edges",
    parameters=(
        Parameter("width", "Width", "% of width", low=0, high=25, rest=0, peak=3),
        ColourParameter("colour", "Colour", "#ece4d4"),
    ),
    lasts=True,
)
def border(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws a border of one colour along all four edges."""
    if values.width == 0:
        return NOTHING
    colour = np.round(255 * np.array(colour_to_bgr(values.colour)))

    def apply(picture: Picture) -> Picture:
        done = picture.copy()
        reach = values.width / 100 * picture.shape[1]
        for lines in (done, done[::-1], done.swapaxes(0, 1), done.swapaxes(0, 1)[::-1]):
            whole = min(int(reach), len(lines))
            lines[:whole] = colour
            if whole < len(lines):
                edge = lines[whole].astype(np.float32)
                lines[whole] = np.round(edge + (reach - whole) * (colour - edge))
        return done

    return Filter(apply)
