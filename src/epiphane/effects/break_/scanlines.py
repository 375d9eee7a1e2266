"""Scan lines: the look of a watching camera."""

import cv2
import numpy as np

from epiphane.effects.declare import Family, Need, Parameter, Values, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import shaded
from epiphane.types import Picture


@effect(
    key="scanlines",
    version=1,
    family=Family.BREAK,
    label="Scan lines",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=70),
        Parameter("lines", "Lines", "", low=40, high=600, rest=220, peak=220),
        Parameter("noise", "Noise", "%", low=0, high=100, rest=35, peak=35),
        Parameter("band", "Rolling band", "%", low=0, high=100, rest=40, peak=40),
        Parameter("roll", "Rolls", "a second", low=0, high=4, rest=0.4, peak=0.4),
    ),
    needs=(Need.TIME,),
)
def scanlines(values: Values) -> Operation | tuple[Operation, ...]:
    """Darkens every other line, with noise and a band that rolls through, as of a watching camera."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100
    step = int(values.seconds * 24 + 1e-6)

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        down = (np.arange(height) + 0.5) / height
        line = 0.5 + 0.5 * np.cos(2 * np.pi * down * min(values.lines, height / 2))
        place = (values.seconds * values.roll) % 1
        away = np.abs((down - place + 0.5) % 1 - 0.5) / 0.12
        gain = 1 - amount * (0.45 * line + values.band / 100 * 0.5 * np.clip(1 - away, 0, 1))
        dark = shaded(picture, np.repeat(gain[:, None], width, axis=1).astype(np.float32))
        generator = np.random.default_rng((int(values.seed), step))
        reach = round(60 * amount * values.noise / 100)
        coarse = generator.integers(-reach, reach + 1, (-(-height // 2), -(-width // 2)), np.int16)
        grain = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_NEAREST)
        return np.asarray(cv2.add(dark, cv2.merge([grain] * 3), dtype=cv2.CV_8U), np.uint8)

    return Filter(apply)
