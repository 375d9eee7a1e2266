"""Zoom through: into this picture, and through it to the next one."""

from math import exp, log

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import Warp
from epiphane.transitions.declare import Join, Progress, transition
from epiphane.transitions.mixing import enlarged, mixed_about_the_middle


@transition(
    key="zoom-through",
    version=1,
    family=Family.MOTION,
    label="Zoom through",
    group="Moves",
    parameters=(
        ChoiceParameter("way", "Way", ("in", "out"), "in"),
        Parameter("scale", "Enlarged to", "%", low=100, high=600, rest=100, peak=280),
        Parameter("shutter", "Motion blur", "°", low=0, high=360, rest=0, peak=240),
        Parameter("mixed", "Mixed", "%", low=0, high=100, rest=30, peak=30),
    ),
    frames=(6, 7),
    keywords="punch pull dolly crash",
)
def zoom_through(values: Values, progress: Progress) -> Join:
    """Goes into this picture and arrives in the next one, or backs out of this one into the next.

    Into: this picture is enlarged by ``s^t``, the next one by ``s^((1 - t)^2 / 2)``; out of it the other way
    round. They are mixed over a part of the way round the middle, and blurred as one: by how fast they grow,
    on the average of what is seen of them.
    """
    most = values.scale / 100

    def scales(share: float) -> tuple[float, float]:
        if values.way == "in":
            return most**share, most ** ((1 - share) ** 2 / 2)
        return most ** (share**2 / 2), most ** (1 - share)

    now, then = scales(progress.share), scales(min(1.0, progress.share + progress.step))
    outgoing, incoming = (enlarged(scale) for scale in now)
    mixture = mixed_about_the_middle(progress, values.mixed / 100)
    growth = [abs(log(after / before)) for before, after in zip(now, then, strict=True)]
    seen = mixture.outgoing * growth[0] + mixture.incoming * growth[1]
    after = enlarged(exp(seen)).matrix
    smear = Warp(np.eye(3), after, shutter=values.shutter / 360, in_light=progress.in_light)
    blur = seen / 2 * values.shutter / 360
    return Join(mixture, (outgoing,), (incoming,), (smear,), blur)
