"""Stutter: the last few frames again and again."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation


def _shift(values: Values) -> int:
    since, length = int(values.since), round(float(values.length))
    if values.amount == 0 or since < length:
        return 0
    place, wanted = since, float(length)
    while place >= max(1, round(wanted)):
        place -= max(1, round(wanted))
        wanted *= 1 - values.shorter / 100
    return place - since


@effect(
    key="stutter",
    version=1,
    family=Family.MOTION,
    label="Stutter",
    group="Time",
    parameters=(
        Parameter("amount", "Stutters", "%", low=0, high=100, rest=0, peak=100),
        Parameter("length", "Repeats", "frames", low=1, high=30, rest=3, peak=3, is_whole=True),
        Parameter("shorter", "Shorter each time", "%", low=0, high=80, rest=0, peak=0),
    ),
    needs=(Need.CUE,),
    retime=_shift,
)
def stutter(values: Values) -> tuple[Operation, ...]:
    """Plays the first few frames from the hit on again and again while the cue lasts."""
    return NOTHING
