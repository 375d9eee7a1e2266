"""Leak through: light leaks in until it covers the cut."""

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import ToneCurve
from epiphane.effects.shining import exposed_levels
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import mixed_about_the_middle
from epiphane.transitions.with_effect import effect_in


@transition(
    key="leak-through",
    version=1,
    family=Family.LIGHT,
    label="Leak through",
    group="Light",
    parameters=(
        Parameter("reach", "Reach", "%", low=5, high=150, rest=150, peak=150),
        Parameter("stops", "Brighter", "stops", low=0, high=4, rest=0, peak=0.6),
        ChoiceParameter("side", "From", ("the left", "the right"), "the left"),
        ColourParameter("colour", "Colour", "#ff5a14"),
    ),
    frames=(8, 10),
    keywords="film flare orange vintage burn light",
)
def leak_through(values: Values, progress: Progress) -> Join:
    """Lets red to white light in from a side until the picture is lost in it, and the next one comes out."""
    near = progress.nearness
    leak = effect_in(
        "light-leak", near, progress, reach=values.reach, side=values.side, colour=values.colour, drift=120.0
    )
    tone = ToneCurve(exposed_levels(values.stops * near**2))
    return Join(mixed_about_the_middle(progress, 0.35), after=(tone, *leak))
