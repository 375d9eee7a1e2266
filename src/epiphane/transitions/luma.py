"""Brightness dissolve: bright parts go first, or dark ones."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.pixels import blurred
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import EdgeLight, Order, edge_lit, edge_parameters, masked, ramp_of
from epiphane.types import Picture


@transition(
    key="luma",
    version=2,
    family=Family.LIGHT,
    label="Brightness dissolve",
    group="Dissolves",
    parameters=(
        ChoiceParameter("first", "First", ("lights", "shadows"), "lights"),
        Parameter("softness", "Softness", "%", low=1, high=100, rest=35, peak=35),
        Parameter("smooth", "Smoothed", "% of width", low=0, high=10, rest=1.2, peak=1.2, help="Fewer holes"),
        *edge_parameters(),
    ),
    frames=(10, 10),
    keywords="luma melt burn key",
)
def luma(values: Values, progress: Progress) -> Join:
    """Lets the bright parts of the outgoing picture become the next one first, or its dark ones."""
    ramp = ramp_of(progress.share, values.softness / 100, n_levels=256)

    edge = EdgeLight.of(values)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        smooth = blurred(outgoing, values.smooth / 100)
        brightness = cv2.cvtColor(smooth, cv2.COLOR_BGR2GRAY)
        if values.first == "lights":
            brightness = cv2.bitwise_not(brightness)
        mask = np.asarray(cv2.LUT(brightness, ramp), np.uint8)
        done = masked(outgoing, incoming, mask, in_light=progress.in_light)
        if edge.strength == 0:
            return done
        order: Order = brightness.astype(np.uint16) * np.uint16(257)
        return edge_lit(done, order, progress, values.softness / 100, edge)

    return Join(Composed(apply))
