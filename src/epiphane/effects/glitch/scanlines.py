"""Scan lines: the look of a watching camera, with its clock."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import noise, shaded_rows, step_at, with_noise
from epiphane.types import Picture

# Of the picture's width.
_CLOCK_SHARE, _EDGE = 0.17, 0.035


@effect(
    key="scanlines",
    version=2,
    family=Family.GLITCH,
    label="Scan lines",
    group="Tape and tube",
    keywords="crt cctv surveillance vhs tv",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("lines", "Lines", "", low=40, high=600, rest=220, peak=220),
        Parameter("noise", "Noise", "%", low=0, high=100, rest=35, peak=35),
        Parameter("band", "Rolling band", "%", low=0, high=100, rest=40, peak=40),
        Parameter("roll", "Rolls", "a second", low=0, high=4, rest=0.4, peak=0.4),
        ChoiceParameter(
            "clock", "Clock", ("upper right", "lower right", "lower left", "none"), "upper right"
        ),
    ),
    needs=(Need.TIME,),
    lasts=True,
)
def scanlines(values: Values) -> Operation | tuple[Operation, ...]:
    """Darkens every other line, with noise and a band that rolls through, as of a watching camera."""
    if values.amount == 0:
        return NOTHING
    amount = values.amount / 100
    step = step_at(values.seconds, 24)

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        down = (np.arange(height) + 0.5) / height
        line = 0.5 + 0.5 * np.cos(2 * np.pi * down * min(values.lines, height / 2))
        place = (values.seconds * values.roll) % 1
        away = np.abs((down - place + 0.5) % 1 - 0.5) / 0.12
        gain = 1 - amount * (0.45 * line + values.band / 100 * 0.5 * np.clip(1 - away, 0, 1))
        dark = shaded_rows(picture, gain)
        reach = round(60 * amount * values.noise / 100)
        size = (-(-height // 2), -(-width // 2))
        levels = np.linspace(-reach, reach, 256)
        coarse = noise((int(values.seed), step), (size[1], size[0]), levels.tolist())
        fine = cv2.resize(coarse, (2 * size[1], 2 * size[0]), interpolation=cv2.INTER_NEAREST)
        noisy = with_noise(dark, np.asarray(fine[:height, :width], np.uint8)) if reach else dark
        if values.clock != "none":
            _write_clock(noisy, values.seconds, values.clock, amount)
        return noisy

    return Filter(apply)


def _write_clock(picture: Picture, seconds: float, corner: str, opacity: float) -> None:
    """Lay the time of the project over a picture, in place: hours, minutes, seconds and tenths."""
    height, width = picture.shape[:2]
    tenths = step_at(seconds, 10)
    text = f"{tenths // 36000:02}:{tenths // 600 % 60:02}:{tenths // 10 % 60:02}.{tenths % 10}"
    thickness = max(1, round(width / 500))
    face = cv2.FONT_HERSHEY_SIMPLEX
    (wide, high), _ = cv2.getTextSize(text, face, 1.0, thickness)
    scale = _CLOCK_SHARE * width / wide
    left = round(_EDGE * width if corner.endswith("left") else width * (1 - _EDGE - _CLOCK_SHARE))
    base = round(_EDGE * width + high * scale if corner.startswith("upper") else height - _EDGE * width)
    rim = 3 * thickness + 2
    rows = slice(max(round(base - high * scale) - rim, 0), min(base + rim, height))
    columns = slice(max(left - rim, 0), min(left + round(wide * scale) + rim, width))
    behind = np.ascontiguousarray(picture[rows, columns])
    done, at = behind.copy(), (left - columns.start, base - rows.start)
    for colour, extra in ((0, 2 * thickness), (235, 0)):  # a dark rim keeps it legible on any picture
        cv2.putText(done, text, at, face, scale, (colour,) * 3, thickness + extra, cv2.LINE_AA)
    picture[rows, columns] = cv2.addWeighted(behind, 1 - opacity, done, opacity, 0)
