"""Flash: the picture burns out as the envelope rises."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation, ToneCurve, diagonal_tone
from epiphane.effects.shining import exposed_levels, glare, highlights, lit, small_light
from epiphane.types import FloatArray, Picture

_SHRINK, _SHARE, _RADIUS = 8, 0.25, 0.03
_GLARE_GAIN, _LIFT_POWER = 1.2, 1.5


@effect(
    key="flash",
    version=2,
    family=Family.LIGHT,
    label="Flash",
    group="Exposure",
    keywords="white flash burst burn overexpose",
    parameters=(
        Parameter("opacity", "Strength", "%", low=0, high=100, rest=0, peak=100),
        ColourParameter("colour", "Colour", "#fff4dc"),
        ChoiceParameter(
            "blend",
            "Blend",
            ("light", "screen", "add", "overlay"),
            "light",
            help="Light exposes the picture: bright parts burn first; the others lay the colour over it",
        ),
        Parameter("stops", "Stops", "stops", low=0, high=6, rest=3, peak=3, help="Of light"),
        Parameter(
            "lift", "Lift", "%", low=0, high=100, rest=16, peak=16, help="How much of the colour falls on all"
        ),
        Parameter(
            "glare", "Glare", "%", low=0, high=200, rest=0, peak=0, help="What shines bleeds over its edges"
        ),
    ),
)
def flash(values: Values) -> Operation | tuple[Operation, ...]:
    """Burns the picture out by light, bright parts first, or lays one colour over it.

    Light exposes by the stops, bent below white, and adds light of the colour (``lift^1.5``), both times the
    strength. The others, with picture p, colour c and strength o, all 0 to 1: screen ``p + o c (1 - p)``; add
    ``p + o c``; overlay mixes p by o with ``2 p c`` in the shadows and ``1 - 2 (1 - p)(1 - c)`` in the lights
    (the blend modes of the W3C's Compositing and Blending Level 1).
    """
    colour, strength = np.array(colour_to_bgr(values.colour)), values.opacity / 100
    if strength == 0:
        return NOTHING
    if values.blend == "add":
        return diagonal_tone(np.ones(3), 255 * strength * colour)
    if values.blend == "screen":
        return diagonal_tone(1 - strength * colour, 255 * strength * colour)
    if values.blend == "overlay":
        return ToneCurve(_overlay(colour, strength))
    lift = colour * (values.lift / 100) ** _LIFT_POWER * strength
    burnt = exposed_levels(values.stops * strength, lift=lift)
    if values.glare == 0:
        return ToneCurve(burnt)
    shine = (colour * (values.glare / 100 * strength * _GLARE_GAIN)).astype(np.float32)

    def apply(picture: Picture) -> Picture:
        bright = highlights(small_light(picture, _SHRINK), _SHARE)
        light = glare(bright, _RADIUS * bright.shape[1]) * shine
        table = np.rint(burnt).astype(np.uint8)[None]
        return lit(np.asarray(cv2.LUT(picture, table), np.uint8), light)

    return Filter(apply)


def _overlay(colour: FloatArray, strength: float) -> FloatArray:
    picture = np.arange(256)[:, None] / 255
    hard = np.where(picture <= 0.5, 2 * picture * colour, 1 - 2 * (1 - picture) * (1 - colour))
    return np.asarray(255 * (picture + strength * (hard - picture)))
