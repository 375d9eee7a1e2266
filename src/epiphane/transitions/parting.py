"""Parting: this picture opens like two doors."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import scale_about
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import faced, faced_back, shadow_beside, shutter_parameter, smeared
from epiphane.types import Picture

_SHADOW_WIDTH = 0.06


@transition(
    key="parting",
    version=2,
    family=Family.FRAME,
    label="Parting",
    group="Moves",
    parameters=(
        ChoiceParameter("axis", "Opens", ("sideways", "up and down"), "sideways"),
        Parameter("scale", "Next begins at", "%", low=100, high=200, rest=100, peak=115),
        shutter_parameter(),
        Parameter("shadow", "Shadow", "%", low=0, high=100, rest=55, peak=55, help="Of the halves"),
    ),
    keywords="doors halves split open barn",
)
def parting(values: Values, progress: Progress) -> Join:
    """Moves the halves of this picture apart, behind which the next one settles to its size."""
    direction = "left" if values.axis == "sideways" else "up"

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        above, below = faced(outgoing, direction), faced(incoming, direction)
        done = np.array(below)
        width = above.shape[1]
        half, gone = width // 2, round(progress.share * (width - width // 2))
        left, right = max(half - gone, 0), min(half + gone, width)
        reach, shadow = round(_SHADOW_WIDTH * width), values.shadow / 100
        done = shadow_beside(done, left, reach, shadow, to_left=False)
        done = shadow_beside(done, right, reach, shadow, to_left=True)
        length = progress.step * (width - half) * values.shutter / 360
        for first, end, part in (
            (0, left, above[:, min(gone, half) : half]),
            (right, width, above[:, half : width - gone]),
        ):
            if end > first:
                done[:, first:end] = smeared(np.ascontiguousarray(part), length, in_light=progress.in_light)
        return np.ascontiguousarray(faced_back(done, direction))

    scale = 1 + (values.scale / 100 - 1) * (1 - progress.share)
    return Join(Composed(apply), incoming=(scale_about(scale, x=0.5, y=0.5),))
