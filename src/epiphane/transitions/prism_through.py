"""Prism through: colours part more and more, and come together as the next picture."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import ToneCurve
from epiphane.effects.shining import exposed_levels
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import enlarged, mixed_about_the_middle
from epiphane.transitions.with_effect import effect_in


@transition(
    key="prism-through",
    version=1,
    family=Family.FOCUS,
    label="Prism through",
    group="Lens",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=15, rest=0, peak=12),
        Parameter("twist", "Twist", "°", low=-90, high=90, rest=0, peak=25),
        Parameter("nearer", "Nearer", "%", low=100, high=200, rest=100, peak=122),
        Parameter("stops", "Brighter", "stops", low=0, high=3, rest=0, peak=0.8),
    ),
    frames=(6, 8),
    keywords="rainbow spectrum chromatic glass colours",
)
def prism_through(values: Values, progress: Progress) -> Join:
    """Parts the colours of this picture as a prism does, and joins them as those of the next one."""
    near = progress.nearness**1.5
    scale = enlarged(1 + (values.nearer / 100 - 1) * near)
    parted = effect_in("prism", near, progress, reach=values.reach, twist=values.twist, clean=0.0, curve=1.0)
    tone = ToneCurve(exposed_levels(values.stops * near))
    return Join(mixed_about_the_middle(progress, 0.3), (scale,), (scale,), (*parted, tone))
