"""Self blend: the picture laid over itself in a blend mode."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve
from epiphane.types import FloatArray

_MULTIPLY, _SCREEN, _OVERLAY, _SOFT = "multiply", "screen", "overlay", "soft light"


def _with_itself(x: FloatArray, mode: str) -> FloatArray:
    """Return what the W3C's formula of a mode makes of levels, 0 to 1, laid over the same ones."""
    if mode == _MULTIPLY:
        return x * x
    if mode == _SCREEN:
        return 1 - (1 - x) ** 2
    if mode == _OVERLAY:
        return np.where(x <= 0.5, 2 * x * x, 1 - 2 * (1 - x) ** 2)
    lighter = np.where(x <= 0.25, ((16 * x - 12) * x + 4) * x, np.sqrt(x))
    return np.where(x <= 0.5, x - (1 - 2 * x) * x * (1 - x), x + (2 * x - 1) * (lighter - x))


@effect(
    key="self-blend",
    version=1,
    family=Family.COLOUR,
    label="Self blend",
    group="Tints",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        ChoiceParameter("mode", "Blend mode", (_OVERLAY, _SOFT, _MULTIPLY, _SCREEN), _OVERLAY),
    ),
    keywords="grit contrast copy duplicate grade",
)
def self_blend(values: Values) -> Operation | tuple[Operation, ...]:
    """Lays the picture over itself in a blend mode: harder, darker or brighter."""
    if values.amount == 0:
        return NOTHING
    levels = np.arange(256.0)
    blended = 255 * _with_itself(levels / 255, values.mode)
    mixed = levels + (blended - levels) * values.amount / 100
    return ToneCurve(np.repeat(mixed[:, None], 3, axis=1))
