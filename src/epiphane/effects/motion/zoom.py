"""Zoom: enlarge the picture about a point as the envelope rises."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import OPEN_SHUTTER, Family, effect
from epiphane.effects.operations import Warp, scale_about


@effect(
    key="zoom",
    version=1,
    family=Family.MOTION,
    label="Zoom",
    group="Camera",
    keywords="punch in scale pump enlarge crop",
    parameters=(
        Parameter("scale", "Scale", "%", low=50, high=400, rest=100, peak=138),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
        OPEN_SHUTTER,
    ),
)
def zoom(values: Values) -> Warp:
    """Enlarges the picture about a point; made smaller, it is mirrored beyond its edge."""
    return scale_about(values.scale / 100, x=values.centre_x / 100, y=values.centre_y / 100)
