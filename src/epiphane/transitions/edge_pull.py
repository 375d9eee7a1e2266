"""Edge pull: the edge of this picture is drawn out over it, and the next one stands behind."""

import cv2
import numpy as np

from epiphane.declare.parameters import Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, seam_parameter, shutter_parameter
from epiphane.types import Picture


@transition(
    key="edge-pull",
    version=1,
    family=Family.GLITCH,
    label="Edge pull",
    parameters=(direction_parameter("right"), shutter_parameter(), seam_parameter()),
    frames=(6, 6),
    keywords="smear pixel stretch streak drag",
)
def edge_pull(values: Values, progress: Progress) -> Join:
    """Draws the pixels at a moving edge out to the end of the picture; behind it lies the next one."""
    # While the shutter is open the edge moves on: its way is a ramp, as wide as the seam is soft besides.
    travel = max(progress.step * values.shutter / 360, values.seam / 100)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        width = outgoing.shape[1]
        at = (1 - progress.share) * width
        edge = min(max(round(at), 1), width)
        drawn_out = np.repeat(outgoing[:, edge - 1 : edge], width, axis=1)
        ramp = np.clip((at - np.arange(width) - 0.5) / max(travel * width, 1.0) + 0.5, 0, 1)
        shares = np.repeat(ramp.astype(np.float32)[None], outgoing.shape[0], axis=0)
        return np.asarray(cv2.blendLinear(drawn_out, incoming, shares, 1 - shares), np.uint8)

    return Join(Composed(leftward(values.direction, apply)))
