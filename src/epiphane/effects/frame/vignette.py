"""Vignette: darker towards the corners."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, shaded
from epiphane.types import Picture


@effect(
    key="vignette",
    version=1,
    family=Family.FRAME,
    label="Vignette",
    group="Edges",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=85),
        Parameter("reach", "Reach", "%", low=5, high=100, rest=75, peak=75),
        Parameter("roundness", "Roundness", "%", low=0, high=100, rest=50, peak=50),
        ColourParameter("colour", "Colour", "#000000"),
    ),
    lasts=True,
)
def vignette(values: Values) -> Operation | tuple[Operation, ...]:
    """Darkens the picture towards its corners, or lets a colour in there."""
    if values.amount == 0:
        return NOTHING
    amount, start = values.amount / 100, 1 - values.reach / 100
    round_share, colour = values.roundness / 100, np.array(colour_to_bgr(values.colour))

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        half_height = picture.shape[0] / picture.shape[1]
        oval = (x * x + (y / half_height) ** 2) / 2
        circle = (x * x + y * y) / (1 + half_height**2)
        away = np.sqrt(oval + round_share * (circle - oval))
        share = np.clip((away - start) / max(1 - start, 1e-3), 0, 1)
        dark = amount * share * share * (3 - 2 * share)
        if not colour.any():
            return shaded(picture, 1 - dark)
        weight = cv2.resize(dark.astype(np.float32), (picture.shape[1], picture.shape[0]))
        flat = np.broadcast_to(np.rint(255 * colour).astype(np.uint8), picture.shape)
        whole = np.ascontiguousarray(picture)
        return np.asarray(cv2.blendLinear(np.ascontiguousarray(flat), whole, weight, 1 - weight), np.uint8)

    return Filter(apply)
