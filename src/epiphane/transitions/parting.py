"""Parting: this picture opens like two doors."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import scale_about
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import faced, faced_back
from epiphane.types import Picture


@transition(
    key="parting",
    version=1,
    family=Family.FRAME,
    label="Parting",
    parameters=(
        ChoiceParameter("axis", "Opens", ("sideways", "up and down"), "sideways"),
        Parameter("scale", "Next begins at", "%", low=100, high=200, rest=100, peak=115),
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
        done[:, : max(half - gone, 0)] = above[:, min(gone, half) : half]
        done[:, half + gone :] = above[:, half : width - gone]
        return np.ascontiguousarray(faced_back(done, direction))

    scale = 1 + (values.scale / 100 - 1) * (1 - progress.share)
    return Join(Composed(apply), incoming=(scale_about(scale, x=0.5, y=0.5),))
