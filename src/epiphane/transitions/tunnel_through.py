"""Tunnel through: a shaft opens in the picture, and the next one is at its end."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import mixed_about_the_middle
from epiphane.transitions.with_effect import effect_in


@transition(
    key="tunnel-through",
    version=1,
    family=Family.MOTION,
    label="Tunnel through",
    group="Moves",
    parameters=(
        Parameter("opened", "Opened", "%", low=0, high=100, rest=0, peak=100),
        Parameter("speed", "Speed", "a second", low=-4, high=4, rest=1.6, peak=1.6),
        Parameter("turn", "Turns", "a second", low=-2, high=2, rest=0.4, peak=0.4),
        Parameter("sides", "Walls", "", low=2, high=12, rest=6, peak=6, is_whole=True),
    ),
    frames=(8, 9),
    keywords="shaft fall vortex wormhole kaleidoscope",
)
def tunnel_through(values: Values, progress: Progress) -> Join:
    """Opens a shaft whose walls are this picture, falls through it, and closes it round the next one."""
    near = progress.nearness
    shaft = effect_in(
        "tunnel",
        near,
        progress,
        amount=values.opened,
        rate=values.speed,
        turn=values.turn,
        sides=values.sides,
    )
    return Join(mixed_about_the_middle(progress, 0.4), after=shaft)
