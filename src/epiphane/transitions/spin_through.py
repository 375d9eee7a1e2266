"""Spin through: the picture turns, and the next one comes to rest."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import Warp
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import mixed_about_the_middle, turned


@transition(
    key="spin-through",
    version=1,
    family=Family.MOTION,
    label="Spin through",
    group="Moves",
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

    def warp(angle: float) -> Warp:
        scale = 1 + (values.scale / 100 - 1) * progress.nearness
        return Warp(turned(sign * angle, scale, progress.aspect))

    share = progress.share
    step = min(1.0, share + progress.step) - share
    outgoing, incoming = warp(values.angle * share), warp(values.angle * (share - 1))
    # Both turn alike, so that blurring them once they are mixed is the same, and half the work.
    after = turned(sign * values.angle * step, 1.0, progress.aspect)
    smear = Warp(np.eye(3), after=after, shutter=values.shutter / 360, in_light=progress.in_light)
    blur = values.angle / 360 * step * values.shutter / 360
    return Join(mixed_about_the_middle(progress, 0.2), (outgoing,), (incoming,), (smear,), blur)
