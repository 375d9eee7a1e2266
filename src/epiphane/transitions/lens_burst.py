"""Lens burst: the picture bulges into the lens, and the next one comes out of it."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import ChannelShift, Field, Tone, ToneCurve, diagonal_tone
from epiphane.effects.shining import exposed_levels
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import mixed_about_the_middle
from epiphane.types import Float32Array

_LIGHT, _LEVELS = "light", "levels"
_STOPS, _LIFT = 2.4, 0.06


@transition(
    key="lens-burst",
    version=2,
    family=Family.FOCUS,
    label="Lens burst",
    group="Lens",
    parameters=(
        Parameter("bulge", "Bulge", "%", low=0, high=100, rest=0, peak=70),
        Parameter("light", "Light", "%", low=0, high=100, rest=0, peak=50),
        Parameter("part", "Colours part", "% of width", low=0, high=4, rest=0, peak=0.8),
        ChoiceParameter("burns", "It burns", (_LIGHT, _LEVELS), _LIGHT, help="Light rolls off before white"),
    ),
    frames=(5, 6),
    keywords="bulge fisheye optical distortion",
)
def lens_burst(values: Values, progress: Progress) -> Join:
    """Bends the picture as a strong lens does, brighter and with its colours apart, into the next one."""
    near = progress.nearness
    strength = 0.85 * values.bulge / 100 * near

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        squared = (x * x + y * y) / (1 + half_height**2)
        factor = (1 - strength * (1 - squared)).astype(np.float32)
        return x * factor, y * factor

    part = values.part / 100 * near
    apart = ChannelShift(np.array([[-part, 0.0], [0.0, 0.0], [part, 0.0]]))
    light = values.light / 100 * near**2
    if values.burns == _LIGHT:
        tone: Tone | ToneCurve = ToneCurve(exposed_levels(_STOPS * light, lift=_LIFT * light))
    else:
        tone = diagonal_tone(np.full(3, 1 + light), np.full(3, 90.0 * light))
    return Join(mixed_about_the_middle(progress, 0.25), after=(Field(source), apart, tone))
