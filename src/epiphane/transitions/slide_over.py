"""Slide over: one picture slides over the other that stays."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward
from epiphane.types import Picture


@transition(
    key="slide-over",
    version=1,
    family=Family.MOTION,
    label="Slide over",
    parameters=(
        ChoiceParameter("which", "What slides", ("incoming", "outgoing"), "incoming"),
        direction_parameter(),
        Parameter("dim", "Dim below", "%", low=0, high=100, rest=0, peak=40),
    ),
    keywords="cover reveal uncover",
)
def slide_over(values: Values, progress: Progress) -> Join:
    """Slides the next picture over this one, or this one away; what is covered is dimmed."""
    is_coming = values.which == "incoming"
    covered = progress.share if is_coming else 1 - progress.share
    light = 1 - values.dim / 100 * covered

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        width = outgoing.shape[1]
        gone = round(progress.share * width)
        seen = np.empty_like(outgoing)
        if is_coming:
            seen[:, width - gone :] = incoming[:, :gone]
            seen[:, : width - gone] = outgoing[:, : width - gone] * light
        else:
            seen[:, : width - gone] = outgoing[:, gone:]
            seen[:, width - gone :] = incoming[:, width - gone :] * light
        return seen

    return Join(Composed(leftward(values.direction, apply)))
