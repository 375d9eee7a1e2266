"""Light streaks: thin lines of light out of lamps, across or as a star."""

import cv2
import numpy as np

from epiphane.declare.parameters import ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, AddedLight, Operation
from epiphane.effects.shining import highlights, small_light
from epiphane.types import Float32Array, Picture

_SHRINK, _LOCAL, _GAIN, _FEWER = 4, 0.95, 1.6, 0.7
_STEPS, _FOOT = 4, 0.9
_GHOST_TINT = (0.5, 1.0, 0.7)


@effect(
    key="light-streaks",
    version=1,
    family=Family.LIGHT,
    label="Light streaks",
    group="Rays and leaks",
    keywords="anamorphic lens flare star lines lamps glint",
    parameters=(
        Parameter("strength", "Strength", "%", low=0, high=400, rest=0, peak=170),
        Parameter("length", "Length", "% of width", low=2, high=80, rest=30, peak=30),
        Parameter("share", "Share", "% of the picture", low=0.5, high=30, rest=5, peak=5),
        Parameter("angle", "Angle", "°", low=-90, high=90, rest=0, peak=0),
        Parameter("count", "Lines", "", low=1, high=4, rest=1, peak=1, is_whole=True, help="More are a star"),
        Parameter("ghosts", "Ghosts", "%", low=0, high=100, rest=25, peak=25, help="Seen through the middle"),
        ColourParameter("colour", "Colour", "#478cff"),
    ),
)
def light_streaks(values: Values) -> Operation | tuple[Operation, ...]:
    """Draws thin lines of light out of what is brightest: one across, as wide lenses do, or a star."""
    if values.strength == 0:
        return NOTHING
    n_lines, strength = round(values.count), values.strength / 100
    colour = (np.array(colour_to_bgr(values.colour)) * (strength * _GAIN / n_lines**_FEWER)).astype(
        np.float32
    )
    ghosts = np.array(_GHOST_TINT, np.float32) * np.float32(values.ghosts / 200 * strength)

    def light_of(picture: Picture) -> Float32Array:
        light = highlights(small_light(picture, _SHRINK), values.share / 100, local=_LOCAL)
        bright = np.asarray(cv2.transform(light, np.full((1, 3), 1 / 3, np.float32)), np.float32)
        length = values.length / 100 * bright.shape[1]
        lines = sum(_along(bright, values.angle + 180 * n / n_lines, length) for n in range(n_lines))
        total = np.asarray(lines, np.float32)[..., None] * colour
        if values.ghosts:
            flare = cv2.GaussianBlur(bright, (0, 0), max(0.3, 0.01 * bright.shape[1]))[::-1, ::-1]
            total = total + flare[..., None] * ghosts
        return np.asarray(total, np.float32)

    return AddedLight(light_of)


def _along(bright: Float32Array, angle: float, length: float) -> Float32Array:
    """Return light drawn out along a line, float32, shape (rows, columns): pointed, with a long foot."""
    height, width = bright.shape
    turn, canvas, there = angle % 180, bright, np.eye(2, 3)
    if turn:  # on a canvas that holds the turned picture, and turned back afterwards
        side = int(np.hypot(width, height)) + 2
        there = np.asarray(cv2.getRotationMatrix2D((width / 2, height / 2), turn, 1), np.float64)
        there[:, 2] += (side - width) / 2, (side - height) / 2
        canvas = np.asarray(cv2.warpAffine(bright, there, (side, side)), np.float32)
    total, part = np.zeros_like(canvas), canvas
    for step in range(_STEPS):
        n_pixels = max(1, round(length * 0.5 ** (_STEPS - 1 - step))) | 1
        part = np.asarray(cv2.blur(part, (n_pixels, 1), borderType=cv2.BORDER_CONSTANT), np.float32)
        total += part * np.float32(0.5 if step == 0 else _FOOT**step)
    if turn:
        total = np.asarray(
            cv2.warpAffine(total, cv2.invertAffineTransform(there), (width, height)), np.float32
        )
    return total
