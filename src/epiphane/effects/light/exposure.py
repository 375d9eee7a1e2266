"""Exposure: more or less light, in stops."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Operation, ToneCurve
from epiphane.effects.shining import exposed_levels


@effect(
    key="exposure",
    version=2,
    family=Family.LIGHT,
    label="Exposure",
    group="Exposure",
    keywords="brightness bright dark grade grading correction",
    parameters=(
        Parameter("stops", "Stops", "stops", low=-6, high=6, rest=0, peak=2.2),
        Parameter(
            "shoulder",
            "Shoulder",
            "%",
            low=0,
            high=100,
            rest=100,
            peak=100,
            help="How early bright parts are bent, so that they keep their drawing; 0 cuts them off",
        ),
    ),
)
def exposure(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets in more or less light, as a lens does: a stop more is twice the light."""
    if values.stops == 0:
        return NOTHING
    return ToneCurve(exposed_levels(values.stops, shoulder=values.shoulder / 100))
