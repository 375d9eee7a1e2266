"""Shatter through: the picture breaks like a pane, and the next one is behind it."""

from epiphane.declare.parameters import Parameter, Values
from epiphane.document.envelope import Ease
from epiphane.effects.declare import Family
from epiphane.effects.panes import Blow, broken
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.types import Picture

_WANES_FROM = 0.75


@transition(
    key="shatter-through",
    version=1,
    family=Family.GLITCH,
    label="Shatter through",
    group="Glitches",
    parameters=(
        Parameter("count", "Pieces", "", low=12, high=160, rest=60, peak=60, is_whole=True),
        Parameter("force", "Force", "%", low=0, high=200, rest=70, peak=70),
        Parameter("gravity", "Weight", "%", low=0, high=300, rest=120, peak=120),
        Parameter("edges", "Lit edges", "%", low=0, high=100, rest=60, peak=60),
        Parameter("length", "Flight", "seconds", low=0.1, high=3, rest=0.8, peak=0.8),
        Parameter("centre_x", "Struck across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Struck down", "%", low=0, high=100, rest=45, peak=45),
    ),
    frames=(1, 18),
    eases=(Ease.LINEAR, Ease.LINEAR),
    keywords="glass break shards pane window crack",
)
def shatter_through(values: Values, progress: Progress) -> Join:
    """Breaks this picture like a pane whose pieces fly and fall; the next one is behind it."""
    blow = Blow(
        x=values.centre_x,
        y=values.centre_y,
        count=round(values.count),
        force=values.force / 100,
        weight=values.gravity / 100,
        edges=values.edges / 100,
        seed=progress.seed,
    )
    left = min((1 - progress.share) / (1 - _WANES_FROM), 1.0)

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        return broken(incoming, outgoing, blow, seconds=progress.share * values.length, left=left)

    return Join(Composed(apply))
