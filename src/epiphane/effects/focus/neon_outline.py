"""Neon outline: edges shine in two colours over a dark picture."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.shining import lit
from epiphane.types import Picture

_STEEP, _LEAST, _MOST = 1600.0, 0.05, 1.4
_SHRINK, _HALO, _HALO_WIDTH = 4, 0.9, 320.0


@effect(
    key="neon-outline",
    version=1,
    family=Family.FOCUS,
    label="Neon outline",
    group="Drawn",
    keywords="edges contour glow lines electric sketch",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("width", "Width", "% of width", low=0.05, high=2, rest=0.25, peak=0.25),
        Parameter("strength", "Strength", "%", low=20, high=800, rest=260, peak=260),
        Parameter("ground", "Ground", "%", low=0, high=100, rest=18, peak=18, help="Left of the picture"),
        ColourParameter("colour", "Edges across", "#2878ff"),
        ColourParameter("other", "Edges down", "#ff2878"),
    ),
)
def neon_outline(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets edges shine, in two colours by which way they go, over what is left of the picture."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    one, other = (np.array(colour_to_bgr(text), np.float32) for text in (values.colour, values.other))

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        half = max(1, width // 2), max(1, height // 2)
        grey = cv2.cvtColor(cv2.resize(picture, half, interpolation=cv2.INTER_AREA), cv2.COLOR_BGR2GRAY)
        grey = cv2.GaussianBlur(grey, (0, 0), max(0.6, values.width / 100 * half[0]))
        slopes = (cv2.Scharr(grey, cv2.CV_32F, 1, 0), cv2.Scharr(grey, cv2.CV_32F, 0, 1))
        steep, way = cv2.cartToPolar(*slopes)
        # As steep at every size: twice as many pixels make an edge half as steep.
        scale = values.strength / 100 / _STEEP * width / 960
        shine = np.clip(steep * np.float32(scale) - np.float32(_LEAST), 0, _MOST)
        turn = (0.5 + 0.5 * np.cos(2 * way))[..., None]
        lines = (shine[..., None] * (one * turn + other * (1 - turn))).astype(np.float32)
        few = max(1, half[0] // _SHRINK), max(1, half[1] // _SHRINK)
        soft = cv2.resize(lines, few, interpolation=cv2.INTER_AREA)
        halo = cv2.resize(cv2.GaussianBlur(soft, (0, 0), max(0.3, width / _HALO_WIDTH)), half)
        dark = cv2.convertScaleAbs(picture, alpha=1 - level * (1 - values.ground / 100))
        light = np.asarray(halo + lines, np.float32) * np.float32(_HALO * level)
        return lit(np.asarray(dark, np.uint8), light)

    return Filter(apply)
