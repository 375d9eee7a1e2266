"""Ink through: ink spreads over the picture, and clears to the next one."""

from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import Order, ink_order, masked, ramp_of
from epiphane.types import Picture, Plane, Size

_SHADE = 0.28


@transition(
    key="ink-through",
    version=1,
    family=Family.FRAME,
    label="Ink through",
    group="Wipes",
    parameters=(
        ColourParameter("colour", "Ink", "#0c1024"),
        Parameter("thick", "Ink between", "%", low=5, high=90, rest=40, peak=40),
        Parameter("softness", "Softness", "%", low=1, high=60, rest=9, peak=9),
    ),
    frames=(11, 13),
    keywords="water paint liquid drop spread reveal",
)
def ink_through(values: Values, progress: Progress) -> Join:
    """Lets ink spread in water over this picture; where it came first it clears to the next one."""
    softness, thick = values.softness / 100, values.thick / 100
    ink = 255 * np.array(colour_to_bgr(values.colour))
    # The ink sets out at once and is through when the next picture still follows.
    comes = ramp_of(min(progress.share / (1 - thick / 2), 1.0), softness)
    clears = ramp_of(max((progress.share - thick / 2) / (1 - thick / 2), 0.0), softness)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        size = outgoing.shape[1], outgoing.shape[0]
        places = ink_order(size, progress.seed)
        lit = _relief(size, progress.seed)
        flat = np.rint(ink + (np.repeat(lit[..., None], 3, axis=2).astype(np.float32) - 128) * _SHADE)
        inked = np.clip(flat, 0, 255).astype(np.uint8)
        under = masked(
            outgoing, inked, np.asarray(cv2.LUT(places, comes), np.uint8), in_light=progress.in_light
        )
        return masked(
            under, incoming, np.asarray(cv2.LUT(places, clears), np.uint8), in_light=progress.in_light
        )

    return Join(Composed(apply))


@lru_cache(maxsize=4)
def _relief(size: Size, seed: int) -> Plane:
    """Return how ink is lit from one side, uint8, shape (height, width), 128 where it is flat."""
    places: Order = ink_order(size, seed)
    soft = cv2.GaussianBlur(places.astype(np.float32) / 65535, (0, 0), max(size[0] / 160, 0.5))
    slope = cv2.Sobel(soft, cv2.CV_32F, 1, 0) + 1.6 * cv2.Sobel(soft, cv2.CV_32F, 0, 1)
    return np.clip(128 + slope * np.float32(size[0] * 1.6), 0, 255).astype(np.uint8)
