"""Blur through: out of focus, and back in focus on the next picture."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.defocus import defocus, shape_parameter
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import mixed_about_the_middle


@transition(
    key="blur-through",
    version=2,
    family=Family.FOCUS,
    label="Blur through",
    group="Lens",
    parameters=(
        Parameter("radius", "Radius", "% of width", low=0, high=15, rest=0, peak=4),
        Parameter("mixed", "Mixed", "%", low=0, high=100, rest=40, peak=40),
        shape_parameter(),
    ),
    keywords="defocus soft focus pull bokeh",
)
def blur_through(values: Values, progress: Progress) -> Join:
    """Loses focus on this picture and finds it on the next one; they are mixed where both are soft."""
    mixture = mixed_about_the_middle(progress, values.mixed / 100)
    blur = defocus(values.radius / 100 * progress.nearness, values.shape, in_light=progress.in_light)
    return Join(mixture, after=(blur,))
