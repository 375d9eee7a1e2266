"""Edge pull: the edge of this picture is drawn out over it, and the next one stands behind."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, seam_parameter, shutter_parameter
from epiphane.types import Picture

_THINS = 0.85


@transition(
    key="edge-pull",
    version=2,
    family=Family.GLITCH,
    label="Edge pull",
    group="Glitches",
    parameters=(
        direction_parameter("right"),
        shutter_parameter(),
        seam_parameter(),
        Parameter(
            "column", "Edge", "% of width", low=0, high=5, rest=1, peak=1, help="As much is drawn out, fading"
        ),
    ),
    frames=(6, 6),
    keywords="smear pixel stretch streak drag",
)
def edge_pull(values: Values, progress: Progress) -> Join:
    """Draws the pixels at a moving edge out to the end of the picture; behind it lies the next one."""
    # While the shutter is open the edge moves on: its way is a ramp, as wide as the seam is soft besides.
    travel = max(progress.step * values.shutter / 360, values.seam / 100)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        at = (1 - progress.share) * width
        edge = min(max(round(at), 1), width)
        taken = max(1, round(values.column / 100 * width))
        column = cv2.resize(
            outgoing[:, max(0, edge - taken) : edge], (1, height), interpolation=cv2.INTER_AREA
        )
        drawn_out = np.repeat(column.reshape(height, 1, -1), width, axis=1)
        if values.column:
            # Drawn out it thins, towards its own mean: so that it is no bar code to the very end.
            even = cv2.blur(column.reshape(height, 1, -1), (1, max(3, height // 6)))
            thin = np.repeat(np.linspace(0, _THINS, width, dtype=np.float32)[None], height, axis=0)
            soft = np.repeat(even.reshape(height, 1, -1), width, axis=1)
            drawn_out = np.asarray(cv2.blendLinear(soft, drawn_out, thin, 1 - thin), np.uint8)
        ramp = np.clip((at - np.arange(width) - 0.5) / max(travel * width, 1.0) + 0.5, 0, 1)
        shares = np.repeat(ramp.astype(np.float32)[None], outgoing.shape[0], axis=0)
        return np.asarray(cv2.blendLinear(drawn_out, incoming, shares, 1 - shares), np.uint8)

    return Join(Composed(leftward(values.direction, apply)))
