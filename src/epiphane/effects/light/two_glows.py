"""Two-colour glow: light of one colour round what is bright, of another round what is less so."""

import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, AddedLight, Operation
from epiphane.effects.pixels import LUMA
from epiphane.effects.shining import glare, highlights, small_light
from epiphane.types import Float32Array, Picture

_SHRINK, _SHARP, _DIM = 4, 0.3, 1.6


@effect(
    key="two-glows",
    version=1,
    family=Family.LIGHT,
    label="Two-colour glow",
    group="Glow",
    keywords="glow sweep threshold duotone neon aura light up",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=400, rest=0, peak=200),
        Parameter(
            "share", "Share", "% of the picture", low=1, high=60, rest=3, peak=36, help="Grows as it is keyed"
        ),
        Parameter("core", "Bright part", "% of the share", low=0, high=100, rest=35, peak=35),
        Parameter("radius", "Radius", "% of width", low=0.1, high=10, rest=1.6, peak=1.6),
        ColourParameter("bright", "Bright parts", "#ff8a3c"),
        ColourParameter("dim", "Dim parts", "#3c50ff"),
    ),
)
def two_glows(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets more and more of the picture shine, bright parts in one colour and dim ones in another."""
    if values.strength == 0:
        return NOTHING
    bright, dim = (np.array(colour_to_bgr(text)).astype(np.float32) for text in (values.bright, values.dim))
    gain, share = np.float32(values.strength / 100), values.share / 100

    def light_of(picture: Picture) -> Float32Array:
        light = small_light(picture, _SHRINK)
        grey = np.repeat((light @ LUMA.astype(np.float32))[..., None], 3, axis=2)
        core = highlights(grey, max(share * values.core / 100, 0.002))
        around = np.maximum(highlights(grey, share) - core, 0)
        source = np.asarray(core * bright + _DIM * around * dim, np.float32)
        return gain * (_SHARP * source + glare(source, values.radius / 100 * source.shape[1]))

    return AddedLight(light_of)
