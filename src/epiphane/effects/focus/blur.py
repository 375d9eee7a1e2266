"""Blur: out of focus."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Operation, gaussian_blur


@effect(
    key="blur",
    version=1,
    family=Family.FOCUS,
    label="Blur",
    keywords="defocus gaussian soft",
    parameters=(Parameter("radius", "Radius", "% of width", low=0, high=10, rest=0, peak=1.8),),
    needs=(Need.LIGHT,),
)
def blur(values: Values) -> Operation | tuple[Operation, ...]:
    """Softens the picture evenly; the radius is the standard deviation of a Gaussian."""
    if values.radius == 0:
        return NOTHING
    return gaussian_blur(values.radius / 100, in_light=bool(values.in_light))
