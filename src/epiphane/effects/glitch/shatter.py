"""Shatter: the picture from before the hit breaks like a pane, and its pieces fall."""

from collections.abc import Sequence

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, AlphaRule, Mix, Operation
from epiphane.effects.panes import Blow, broken
from epiphane.types import Picture


def _held(values: Values) -> int | None:
    """Return the frame before the hit: on a cut, the last of the shot before."""
    return None if values.amount == 0 else -max(round(values.since), 0) - 1


@effect(
    key="shatter",
    version=1,
    family=Family.GLITCH,
    label="Shatter",
    group="Broken",
    keywords="break glass shards pane explode window crack",
    parameters=(
        Parameter("amount", "Pieces left", "%", low=0, high=100, rest=0, peak=100),
        Parameter("count", "Pieces", "", low=12, high=160, rest=60, peak=60, is_whole=True),
        Parameter("force", "Force", "%", low=0, high=200, rest=55, peak=55),
        Parameter("gravity", "Weight", "%", low=0, high=300, rest=100, peak=100),
        Parameter("spin", "Spin", "%", low=0, high=300, rest=100, peak=100),
        Parameter("edges", "Lit edges", "%", low=0, high=100, rest=60, peak=60),
        Parameter("centre_x", "Struck across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Struck down", "%", low=0, high=100, rest=45, peak=45),
    ),
    needs=(Need.CUE, Need.SINCE, Need.TIME),
    held=_held,
)
def shatter(values: Values) -> Operation | tuple[Operation, ...]:
    """Breaks the picture from before the hit, or the cut, like a pane; its pieces fly and fall."""
    if values.amount == 0:
        return NOTHING

    blow = Blow(
        x=values.centre_x,
        y=values.centre_y,
        count=round(values.count),
        force=values.force / 100,
        weight=values.gravity / 100,
        spin=values.spin / 100,
        edges=values.edges / 100,
        seed=int(values.seed),
    )

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        pane = others[0] if others else picture
        return broken(
            picture, pane, blow, seconds=max(values.since_seconds, 0.0), left=min(values.amount / 100, 1.0)
        )

    return Mix(apply, AlphaRule.GIVEN)
