"""Brightness dissolve: bright parts go first, or dark ones."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import masked, ramp_of
from epiphane.types import Picture


@transition(
    key="luma",
    version=1,
    family=Family.LIGHT,
    label="Brightness dissolve",
    parameters=(
        ChoiceParameter("first", "First", ("lights", "shadows"), "lights"),
        Parameter("softness", "Softness", "%", low=1, high=100, rest=30, peak=30),
    ),
    frames=(10, 10),
    keywords="luma melt burn key",
)
def luma(values: Values, progress: Progress) -> Join:
    """Lets the bright parts of the outgoing picture become the next one first, or its dark ones."""
    ramp = ramp_of(progress.share, values.softness / 100, n_levels=256)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        brightness = cv2.cvtColor(outgoing, cv2.COLOR_BGR2GRAY)
        if values.first == "lights":
            brightness = cv2.bitwise_not(brightness)
        return masked(outgoing, incoming, np.asarray(cv2.LUT(brightness, ramp), np.uint8))

    return Join(Composed(apply))
