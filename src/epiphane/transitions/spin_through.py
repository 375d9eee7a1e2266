"""Spin through: the picture turns, and the next one comes to rest."""

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import Warp
from epiphane.transitions.declare import Join, Progress, Weighted, transition
from epiphane.transitions.mixing import turned


@transition(
    key="spin-through",
    version=1,
    family=Family.MOTION,
    label="Spin through",
    parameters=(
        ChoiceParameter("turn", "Turns", ("clockwise", "anticlockwise"), "clockwise"),
        Parameter("angle", "Angle", "°", low=0, high=720, rest=0, peak=180),
        Parameter("scale", "Enlarged to", "%", low=100, high=300, rest=100, peak=150),
        Parameter("shutter", "Motion blur", "°", low=0, high=360, rest=0, peak=240),
    ),
    frames=(6, 7),
    keywords="rotate roll twist",
)
def spin_through(values: Values, progress: Progress) -> Join:
    """Turns this picture faster and faster, and the next one slower and slower until it stands."""
    sign = 1 if values.turn == "clockwise" else -1

    def warp(angle: float, angle_after: float, nearness: float) -> Warp:
        scale = 1 + (values.scale / 100 - 1) * nearness
        now, then = (turned(sign * one, scale, progress.aspect) for one in (angle, angle_after))
        return Warp(now, after=then, shutter=values.shutter / 360)

    share, later = progress.share, min(1.0, progress.share + progress.step)
    half = values.angle / 2
    outgoing = warp(2 * half * share, 2 * half * later, progress.nearness)
    incoming = warp(2 * half * (share - 1), 2 * half * (later - 1), progress.nearness)
    weight = min(max((share - 0.5) / 0.2 + 0.5, 0.0), 1.0)
    blur = values.angle / 360 * progress.step * values.shutter / 360
    return Join(Weighted(1 - weight, weight), (outgoing,), (incoming,), blur=blur)
