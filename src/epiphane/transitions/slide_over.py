"""Slide over: one picture slides over the other that stays."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, shadow_beside, shutter_parameter, smeared
from epiphane.types import Picture

_SHADOW_WIDTH = 0.06


@transition(
    key="slide-over",
    version=2,
    family=Family.MOTION,
    label="Slide over",
    group="Moves",
    parameters=(
        ChoiceParameter("which", "What slides", ("incoming", "outgoing"), "incoming"),
        direction_parameter(),
        Parameter("dim", "Dim below", "%", low=0, high=100, rest=0, peak=40),
        shutter_parameter(),
        Parameter("shadow", "Shadow", "%", low=0, high=100, rest=55, peak=55, help="Of what slides"),
    ),
    keywords="cover reveal uncover",
)
def slide_over(values: Values, progress: Progress) -> Join:
    """Slides the next picture over this one, or this one away; what is covered is dimmed."""
    is_coming = values.which == "incoming"
    covered = progress.share if is_coming else 1 - progress.share
    light = 1 - values.dim / 100 * covered
    length, shadow = progress.step * values.shutter / 360, values.shadow / 100

    def reach(width: int) -> int:
        return round(_SHADOW_WIDTH * width)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        width = outgoing.shape[1]
        gone = round(progress.share * width)
        seen = np.empty_like(outgoing)
        if is_coming:
            seen[:, width - gone :] = incoming[:, :gone]
            seen[:, : width - gone] = outgoing[:, : width - gone] * light
            seen = shadow_beside(seen, width - gone, reach(width), shadow, to_left=True)
        else:
            seen[:, : width - gone] = outgoing[:, gone:]
            seen[:, width - gone :] = incoming[:, width - gone :] * light
            seen = shadow_beside(seen, width - gone, reach(width), shadow, to_left=False)
        first, end = (width - gone, width) if is_coming else (0, width - gone)
        moving = np.ascontiguousarray(seen[:, first:end])
        if moving.size:
            seen[:, first:end] = smeared(moving, length * width, in_light=progress.in_light)
        return seen

    return Join(Composed(leftward(values.direction, apply)))
