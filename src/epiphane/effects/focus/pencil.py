"""Pencil: the picture drawn with a pencil on paper."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.noise import clouds
from epiphane.types import Picture

_TEXTURE = 96
_HATCHED_BELOW, _HATCHES = 0.5, 110


@effect(
    key="pencil",
    version=1,
    family=Family.FOCUS,
    label="Pencil",
    group="Drawn",
    keywords="sketch drawing crayon graphite paper line art",
    parameters=(
        Parameter("amount", "Drawn", "%", low=0, high=100, rest=0, peak=100),
        Parameter("width", "Line", "% of width", low=0.2, high=4, rest=0.9, peak=0.9),
        Parameter("dark", "Dark", "%", low=50, high=400, rest=180, peak=180),
        Parameter("hatch", "Hatching", "%", low=0, high=100, rest=45, peak=45, help="Where it is dark"),
        Parameter("alive", "Redrawn", "a second", low=0, high=24, rest=8, peak=8),
        ColourParameter("paper", "Paper", "#f0ece2"),
        ColourParameter("ink", "Pencil", "#26262c"),
    ),
    needs=(Need.TIME,),
)
def pencil(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws the edges of the picture with a pencil, hatches what is dark, and redraws it now and then."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    paper, ink = (255 * np.array(colour_to_bgr(text)) for text in (values.paper, values.ink))
    shares = np.linspace(0, 1, 256)[:, None] ** (2.2 * values.dark / 100)
    table = np.rint(ink + shares * (paper - ink)).astype(np.uint8)[None]
    step = step_at(values.seconds, values.alive)

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        grey = cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY)
        reach = max(1, round(values.width / 100 * width)) | 1
        soft = cv2.blur(cv2.blur(grey, (reach, reach)), (reach, reach))
        line = cv2.divide(grey, soft, scale=255).astype(np.float32)
        if values.hatch:
            y, x = np.mgrid[0:height, 0:width].astype(np.float32) * np.float32(2 * np.pi * _HATCHES / width)
            slant = 0.5 + 0.5 * np.cos(x * 0.8 + y * 0.6 + step % 3)
            small = max(2, round(_TEXTURE * height / width))
            lumps = clouds((values.seed, step), (_TEXTURE, small), 24, 2)
            uneven = cv2.resize(lumps, (width, height), interpolation=cv2.INTER_LINEAR)
            deep = np.clip((_HATCHED_BELOW - soft.astype(np.float32) / 255) / _HATCHED_BELOW, 0, 1)
            line *= 1 - np.float32(values.hatch / 100) * deep * slant * np.clip(0.7 + 0.6 * uneven, 0, 1)
        drawn = cv2.LUT(cv2.merge([np.clip(line, 0, 255).astype(np.uint8)] * 3), table)
        if level >= 1:
            return np.asarray(drawn, np.uint8)
        # It is drawn from the edges on: what is drawn darkest is there first.
        weight = np.clip(2 * level - 1 + (1 - line / 255) * np.float32(min(2 * level, 1)), 0, 1)
        weight = np.maximum(weight, np.float32(level * level))
        return np.asarray(cv2.blendLinear(drawn, np.ascontiguousarray(picture), weight, 1 - weight), np.uint8)

    return Filter(apply)
