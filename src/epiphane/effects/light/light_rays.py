"""Light rays: light that falls out of what is bright, away from a point, through haze."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, AddedLight, Operation
from epiphane.effects.shining import highlights, small_light
from epiphane.noise import clouds
from epiphane.types import Float32Array, Picture

_SHRINK, _GAIN, _DOUBLINGS, _DECAY = 4, 1.7, 6, 0.94
_DRIFT, _LUMPS, _UNEVEN = 0.12, 9, 2.5


@effect(
    key="light-rays",
    version=1,
    family=Family.LIGHT,
    label="Light rays",
    group="Rays and leaks",
    keywords="god rays volumetric shafts sun beams crepuscular",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=400, rest=0, peak=200),
        Parameter("length", "Length", "%", low=5, high=150, rest=70, peak=70),
        Parameter("share", "Share", "% of the picture", low=1, high=40, rest=12, peak=12),
        Parameter("haze", "Haze", "%", low=0, high=100, rest=45, peak=45, help="Of the air; it drifts"),
        Parameter("centre_x", "From across", "%", low=-50, high=150, rest=50, peak=50),
        Parameter("centre_y", "From down", "%", low=-50, high=150, rest=30, peak=30),
        ColourParameter("colour", "Colour", "#ffdb9e"),
    ),
    needs=(Need.TIME,),
)
def light_rays(values: Values) -> Operation | tuple[Operation, ...]:
    """Lets light fall out of what is bright, away from a point, as through dusty air.

    By doubling: each step halves what is there with itself enlarged about the point, so six are 64 samples
    along each ray, and weighs what has come farther less.
    """
    if values.strength == 0:
        return NOTHING
    colour = (np.array(colour_to_bgr(values.colour)) * (_GAIN * values.strength / 100)).astype(np.float32)
    whole = np.log(1 + values.length / 100)

    def light_of(picture: Picture) -> Float32Array:
        done = highlights(small_light(picture, _SHRINK), values.share / 100)
        height, width = done.shape[:2]
        if values.haze:
            place = values.seconds * _DRIFT
            air = [clouds((int(values.seed), int(place) + n), (width, height), _LUMPS, 2) for n in (0, 1)]
            thick = air[0] + (air[1] - air[0]) * np.float32(place % 1) - np.float32(0.5)
            done = done * np.maximum(1 + np.float32(_UNEVEN * values.haze / 100) * thick, 0)[..., None]
        x, y = values.centre_x / 100 * width, values.centre_y / 100 * height
        for number in range(_DOUBLINGS):
            scale = float(np.exp(whole * 2**number / 2**_DOUBLINGS))
            matrix = np.array([[scale, 0, x - scale * x], [0, scale, y - scale * y]])
            farther = cv2.warpAffine(done, matrix, (width, height), borderMode=cv2.BORDER_CONSTANT)
            weight = _DECAY ** (2**number / 4)
            done = np.asarray(
                cv2.addWeighted(done, 1 / (1 + weight), farther, weight / (1 + weight), 0), np.float32
            )
        return np.asarray(done * colour, np.float32)

    return AddedLight(light_of)
