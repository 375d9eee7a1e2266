"""Posterise: few levels instead of many."""

from functools import partial

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation, ToneCurve
from epiphane.effects.pixels import LUMA
from epiphane.types import Picture

_BRIGHTNESS, _CHANNELS = "brightness", "each colour"
_GRAIN, _SOFT = 320, 0.2


def _stepped(picture: Picture, *, share: float, n_levels: int) -> Picture:
    """Return a picture whose luma has a few levels with soft steps; what colours differ by stays."""
    luma = np.asarray(cv2.transform(picture, LUMA[None]), np.uint8)
    reach = max(1, round(picture.shape[1] / _GRAIN)) | 1
    luma = np.asarray(cv2.blur(luma, (reach, reach)), np.uint8)
    at = np.arange(256) / 256 * n_levels
    step = np.floor(at) + np.clip((at % 1 - 0.5) / _SOFT + 0.5, 0, 1) - 0.5
    levels = 255 * np.clip(step / (n_levels - 1), 0, 1)
    added = cv2.LUT(luma, np.rint(share * (levels - np.arange(256))).astype(np.int16))
    return np.asarray(cv2.add(picture, cv2.merge([added] * 3), dtype=cv2.CV_8U), np.uint8)


@effect(
    key="posterise",
    version=2,
    family=Family.GLITCH,
    label="Posterise",
    group="Broken",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("levels", "Levels", "", low=2, high=16, rest=5, peak=5, is_whole=True),
        ChoiceParameter(
            "by",
            "Steps of",
            (_BRIGHTNESS, _CHANNELS),
            _BRIGHTNESS,
            help="Of brightness hues stay",
        ),
    ),
)
def posterise(values: Values) -> Operation | tuple[Operation, ...]:
    """Leaves a few levels of each colour, with hard steps between them."""
    if values.amount == 0:
        return NOTHING
    n_levels = round(values.levels)
    if values.by == _BRIGHTNESS:
        return Filter(partial(_stepped, share=values.amount / 100, n_levels=n_levels))
    levels = np.arange(256.0)
    stepped = np.minimum(np.floor(levels / 256 * n_levels), n_levels - 1) * 255 / (n_levels - 1)
    mixed = levels + (stepped - levels) * values.amount / 100
    return ToneCurve(np.repeat(mixed[:, None], 3, axis=1))
