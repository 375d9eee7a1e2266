"""Light leak: red to white light comes in at a side, as into a camera that does not close."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, AddedLight, Operation
from epiphane.noise import clouds
from epiphane.types import Float32Array, Picture

_SHRINK, _GAIN, _LEAST = 16, 3.0, 0.16


@effect(
    key="light-leak",
    version=1,
    family=Family.LIGHT,
    label="Light leak",
    group="Rays and leaks",
    keywords="film burn flare orange vintage camera",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("reach", "Reach", "%", low=5, high=150, rest=45, peak=45),
        ChoiceParameter("side", "From", ("the left", "the right"), "the left"),
        Parameter("drift", "Drift", "% a second", low=0, high=200, rest=35, peak=35),
        ColourParameter("colour", "Colour", "#ff470d", help="Where little came in; much is white"),
    ),
    needs=(Need.TIME,),
)
def light_leak(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets clouds of light in at a side, red first and white where much comes in; the picture stays seen."""
    if values.amount == 0:
        return NOTHING
    tint = np.array(colour_to_bgr(values.colour))
    level, reach = values.amount / 100, values.reach / 100
    # The layers of film answer one after the other, by how much light there is.
    powers = (1 / np.maximum(tint, _LEAST)).astype(np.float32)
    gains = (_GAIN * level * (0.5 + 0.5 * tint) * np.maximum(tint, 0.25) ** 0.5).astype(np.float32)

    def light_of(picture: Picture) -> Float32Array:
        height, width = picture.shape[:2]
        columns, rows = max(16, -(-width // _SHRINK)), max(9, -(-height // _SHRINK))
        seed = int(values.seed)
        one, other = clouds((seed, 1), (3 * columns, rows), 4), clouds((seed, 2), (3 * columns, rows), 3)
        gone = int(values.seconds * columns * values.drift / 100) % (2 * columns)
        cloud = 4 * one[:, gone : gone + columns] * other[:, columns - gone // 2 : 2 * columns - gone // 2]
        away = np.linspace(0, 1, columns, dtype=np.float32)[None]
        away = away if values.side == "the left" else away[:, ::-1]
        edge = np.clip(1 - away / (np.float32(reach * (0.25 + 0.75 * level)) * (0.6 + 0.8 * cloud)), 0, 1)
        density = np.clip(edge**1.6 * (0.4 + 1.2 * cloud), 0, 1)
        light = density[..., None] ** powers * gains
        return np.asarray(cv2.GaussianBlur(light.astype(np.float32), (0, 0), 1.5), np.float32)

    return AddedLight(light_of)
