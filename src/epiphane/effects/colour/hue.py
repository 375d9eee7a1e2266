"""Hue turn: every colour becomes another."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv


@effect(
    key="hue",
    version=1,
    family=Family.COLOUR,
    label="Hue turn",
    group="Tints",
    parameters=(Parameter("angle", "Angle", "°", low=-360, high=360, rest=0, peak=120),),
)
def hue(values: Values) -> Tone:
    """Turns every colour round the wheel and keeps its brightness: Cb and Cr are rotated."""
    turn = np.deg2rad(values.angle)
    rotation = np.eye(3)
    rotation[1:, 1:] = [[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]
    to_yuv = bgr_to_yuv(OUTPUT_SPEC)[:, :3]
    return Tone(np.column_stack([np.linalg.inv(to_yuv) @ rotation @ to_yuv, np.zeros(3)]))
