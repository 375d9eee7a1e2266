"""Lens bend: the picture bulges or caves in."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.focus.prism import prism
from epiphane.effects.operations import NOTHING, Field, Filter, Operation
from epiphane.types import Float32Array

_MIDDLE = {"centre_x": 50.0, "centre_y": 50.0}


@effect(
    key="bend",
    version=1,
    family=Family.FOCUS,
    label="Lens bend",
    group="Lenses",
    keywords="fisheye bulge lens distortion wobble",
    parameters=(
        Parameter("amount", "Amount", "%", low=-100, high=100, rest=0, peak=75),
        Parameter("apart", "Colours apart", "% of width", low=0, high=5, rest=0, peak=0.8, help="At the rim"),
    ),
)
def bend(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes the picture bulge (above 0) or cave in (below), always covering the frame to its corners.

    A point at r of the way to a corner shows what lies at ``r (1 + k r^2) / (1 + k)`` for a bulge and, caving
    in, at ``r / (1 + |k| (1 - r^2))``: both keep the corners where they are and never look beyond them.
    """
    if values.amount == values.apart == 0:
        return NOTHING
    k = abs(values.amount) / 100

    def source(x: Float32Array, y: Float32Array, half_height: float) -> tuple[Float32Array, Float32Array]:
        r2 = (x * x + y * y) / (1 + half_height**2)
        scale = (1 + k * r2) / (1 + k) if values.amount > 0 else 1 / (1 + k * (1 - r2).clip(0, 1))
        return x * scale, y * scale

    if values.apart == 0:
        return Field(source)
    parted = prism(Values({"reach": values.apart, "curve": 2.0, "clean": 25.0, "twist": 0.0, **_MIDDLE}))
    return Field(source), *((parted,) if isinstance(parted, Filter) else ())
