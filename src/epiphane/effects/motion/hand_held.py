"""Hand-held: a camera on a shoulder that breathes, trembles and takes a jolt on the hit."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation
from epiphane.effects.turning import turned
from epiphane.types import FloatArray

# Sway of the body, steps, and the tremor of hands: swings a second, and how far each goes.
_RATES = np.array([0.31, 0.73, 1.27, 2.9, 6.1, 8.7])
_POWERS = np.array([0.5, 0.35, 0.22, 0.09, 0.06, 0.04])
_TREMOR_FROM = 3
_JOLT_RATE, _JOLT_DECAY = 9.0, 7.0


def _swings(values: Values) -> FloatArray:
    """Return how far it is across, down, round and nearer, float64, shape (4,), about -1 to 1."""
    phases = 2 * np.pi * np.random.default_rng((int(values.seed), 2)).random((4, len(_RATES)))
    powers = _POWERS * np.where(np.arange(len(_RATES)) < _TREMOR_FROM, 1, values.tremor / 100)
    angles = 2 * np.pi * _RATES * values.rate / 100 * values.seconds + phases
    return np.asarray((powers * np.sin(angles)).sum(axis=1))


def _jolted(values: Values) -> FloatArray:
    """Return how far the blow of the hit still swings it across and down, float64, shape (2,)."""
    since = max(values.since_seconds, 0.0)
    swing = np.sin(2 * np.pi * _JOLT_RATE * since + np.array([0.0, 1.3]))
    return np.asarray(values.jolt / 100 * np.exp(-_JOLT_DECAY * since) * swing)


@effect(
    key="hand-held",
    version=1,
    family=Family.MOTION,
    label="Hand-held",
    group="Camera",
    keywords="documentary shoulder sway wobble cameraman jolt",
    lasts=True,
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=20, rest=0, peak=4),
        Parameter("turn", "Turns", "°", low=0, high=20, rest=0, peak=2.4),
        Parameter("nearer", "Breathes", "%", low=0, high=20, rest=0, peak=3, help="Nearer and farther"),
        Parameter("tremor", "Tremor", "%", low=0, high=300, rest=100, peak=100),
        Parameter("rate", "Speed", "%", low=10, high=300, rest=100, peak=100),
        Parameter("jolt", "Jolt", "%", low=0, high=300, rest=60, peak=60, help="By the hit"),
        OPEN_SHUTTER,
    ),
    needs=(Need.ASPECT, Need.TIME, Need.SINCE),
)
def hand_held(values: Values) -> Operation | tuple[Operation, ...]:
    """Sways and trembles as a camera on a shoulder does, nearer by as much as that needs; hits jolt it."""
    if values.reach == values.turn == values.nearer == 0:
        return NOTHING
    across, down, round_about, near = _swings(values)
    reach = values.reach / 100
    jolt = _jolted(values)
    return turned(
        np.deg2rad(values.turn) * round_about,
        scale=1 + 2.2 * reach + 0.02 * values.turn + values.nearer / 100 * near,
        shift=(reach * (across + jolt[0]), reach * (down + jolt[1])),
        aspect=values.aspect,
    )
