"""Flash: lay one colour over the picture as the envelope rises."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone, ToneCurve, diagonal_tone
from epiphane.types import FloatArray


@effect(
    key="flash",
    version=1,
    family=Family.LIGHT,
    label="Flash",
    keywords="white flash burst",
    parameters=(
        Parameter("opacity", "Opacity", "%", low=0, high=100, rest=0, peak=70),
        ColourParameter("colour", "Colour", "#fff4dc"),
        ChoiceParameter("blend", "Blend", ("screen", "add", "overlay"), "screen"),
    ),
)
def flash(values: Values) -> Tone | ToneCurve:
    """Lays one colour over the picture: screen lightens, add burns out, overlay hardens.

    With picture p, colour c and opacity o, all 0 to 1: screen ``p + o c (1 - p)``; add
    ``p + o c``; overlay mixes p by o with ``2 p c`` in the shadows and ``1 - 2 (1 - p)(1 - c)`` in
    the lights (the blend modes of the W3C's Compositing and Blending Level 1).
    """
    colour = np.array(colour_to_bgr(values.colour))
    opacity = values.opacity / 100
    if values.blend == "add":
        return diagonal_tone(np.ones(3), 255 * opacity * colour)
    if values.blend == "screen":
        return diagonal_tone(1 - opacity * colour, 255 * opacity * colour)
    return ToneCurve(_overlay(colour, opacity))


def _overlay(colour: FloatArray, opacity: float) -> FloatArray:
    picture = np.arange(256)[:, None] / 255
    hard = np.where(picture <= 0.5, 2 * picture * colour, 1 - 2 * (1 - picture) * (1 - colour))
    return np.asarray(255 * (picture + opacity * (hard - picture)))
