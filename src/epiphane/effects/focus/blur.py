"""Blur: out of focus."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.defocus import defocus, shape_parameter
from epiphane.effects.operations import NOTHING, Operation


@effect(
    key="blur",
    version=2,
    family=Family.FOCUS,
    label="Blur",
    group="Blur",
    keywords="defocus gaussian soft bokeh iris lens",
    parameters=(
        Parameter("radius", "Radius", "% of width", low=0, high=10, rest=0, peak=2.2),
        shape_parameter(),
    ),
    needs=(Need.LIGHT,),
)
def blur(values: Values) -> Operation | tuple[Operation, ...]:
    """Puts the picture out of focus: lamps become discs; of a Gaussian the radius is its deviation."""
    if values.radius == 0:
        return NOTHING
    return defocus(values.radius / 100, values.shape, in_light=bool(values.in_light))
