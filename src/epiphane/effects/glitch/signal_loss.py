"""Signal loss: the picture rolls and bends, and snow comes through in waves."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture, Size

_SNOW_SIZE: Size = (320, 180)
_SWAY, _JERK, _JERKS = 0.05, 0.56, 0.75


@effect(
    key="signal-loss",
    version=1,
    family=Family.GLITCH,
    label="Signal loss",
    group="Tape and tube",
    keywords="static snow television aerial noise roll broadcast",
    parameters=(
        Parameter("snow", "Snow", "%", low=0, high=100, rest=0, peak=70),
        Parameter("tear", "Bends", "%", low=0, high=100, rest=0, peak=60),
        Parameter("roll", "Rolls", "a second", low=0, high=4, rest=0, peak=0.8),
        Parameter("rate", "Changes", "a second", low=1, high=30, rest=15, peak=15),
    ),
    needs=(Need.TIME,),
)
def signal_loss(values: Values) -> Operation | tuple[Operation, ...]:
    """Has the picture roll and its lines lose their place, and snow come through in waves."""
    if values.snow == values.tear == values.roll == 0:
        return NOTHING
    generator = np.random.default_rng((int(values.seed), step_at(values.seconds, values.rate)))
    phases, way = generator.random(3), generator.choice([-1.0, 1.0])
    bits = np.frombuffer(generator.bytes(_SNOW_SIZE[0] * _SNOW_SIZE[1]), np.uint8).reshape(_SNOW_SIZE[::-1])

    def rolled(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        place = (np.arange(height) + 0.5) / height
        gone = values.seconds * values.roll % 1
        jerk = np.clip(np.sin(2 * np.pi * (2.7 * place + phases[0])) - _JERKS, 0, 1)
        bend = (
            values.tear / 100 * (_SWAY * np.sin(2 * np.pi * (1.5 * place + phases[1])) + way * _JERK * jerk)
        )
        across = np.arange(width, dtype=np.float32)[None] + (bend * width).astype(np.float32)[:, None]
        down = np.repeat(((place + gone) % 1 * height - 0.5).astype(np.float32)[:, None], width, axis=1)
        return np.asarray(
            cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP), np.uint8
        )

    def snowed(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        place = (np.arange(height) + 0.5) / height
        wave = np.clip(0.55 + 0.6 * np.sin(2 * np.pi * (0.8 * place + phases[2])), 0, 1) * values.snow / 100
        weights = np.repeat(wave.astype(np.float32)[:, None], width, axis=1)
        snow = cv2.merge([cv2.resize(bits, (width, height), interpolation=cv2.INTER_LINEAR)] * 3)
        whole = np.ascontiguousarray(picture)
        return np.asarray(cv2.blendLinear(snow, whole, weights, 1 - weights), np.uint8)

    return Filter(rolled, moves=True), Filter(snowed)
