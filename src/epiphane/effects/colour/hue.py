"""Hue turn: every colour becomes another."""

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import Tone
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv

_STAY = "stay"
_CHANNELS = {_STAY: (0, 1, 2), "round": (1, 2, 0), "round back": (2, 0, 1), "red for blue": (2, 1, 0)}
"""Which of blue, green and red each is made of."""


@effect(
    key="hue",
    version=1,
    family=Family.COLOUR,
    label="Hue turn",
    group="Tints",
    parameters=(
        Parameter("angle", "Angle", "°", low=-360, high=360, rest=0, peak=120),
        ChoiceParameter(
            "channels", "Channels", tuple(_CHANNELS), _STAY, help="Exchanged as the angle is keyed"
        ),
    ),
)
def hue(values: Values) -> Tone:
    """Turns every colour round the wheel and keeps its brightness, in Cb and Cr; or swaps channels."""
    if values.channels != _STAY:
        share = min(abs(values.angle) / 120, 1.0)
        swapped = (1 - share) * np.eye(3) + share * np.eye(3)[list(_CHANNELS[values.channels])]
        return Tone(np.column_stack([swapped, np.zeros(3)]))
    turn = np.deg2rad(values.angle)
    rotation = np.eye(3)
    rotation[1:, 1:] = [[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]
    to_yuv = bgr_to_yuv(OUTPUT_SPEC)[:, :3]
    return Tone(np.column_stack([np.linalg.inv(to_yuv) @ rotation @ to_yuv, np.zeros(3)]))
