"""Hold: the picture stands still from the hit on."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation


def _shift(values: Values) -> int:
    return -round(values.since) if values.amount > 0 and values.since > 0 else 0


@effect(
    key="hold",
    version=1,
    family=Family.MOTION,
    label="Hold",
    group="Time",
    keywords="freeze pause",
    parameters=(Parameter("amount", "Held", "%", low=0, high=100, rest=0, peak=100),),
    needs=(Need.CUE,),
    retime=_shift,
)
def hold(values: Values) -> tuple[Operation, ...]:
    """Freezes the picture of the hit for as long as the cue lasts; other effects go on."""
    return NOTHING
