"""Old tube: a curved screen with lines, a mask of three colours, a glow and a dark rim."""

from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import looked_up, points, shaded_rows
from epiphane.effects.shining import glare, lit, small_light
from epiphane.types import Float32Array, Picture, Size

_BEND, _ENLARGED, _CORNER, _RIM_WIDTH = 0.22, 0.8, 8.0, 0.004
_SHRINK, _GLOW_WIDTH, _GLOW = 4, 0.012, 0.6
_BAR_SPEED, _BAR_HEIGHT, _HUM = 0.31, 0.09, 12
_UNIT = 255


@effect(
    key="old-tube",
    version=1,
    family=Family.FRAME,
    label="Old tube",
    group="Tape and tube",
    keywords="crt cathode television monitor arcade curved scanlines",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("bend", "Bend", "%", low=0, high=100, rest=60, peak=60),
        Parameter("lines", "Lines", "", low=60, high=480, rest=180, peak=180, is_whole=True),
        Parameter("mask", "Mask", "%", low=0, high=100, rest=45, peak=45, help="Stripes of three colours"),
        Parameter("glow", "Glow", "%", low=0, high=200, rest=60, peak=60),
        Parameter("bar", "Bar", "%", low=0, high=100, rest=20, peak=20, help="A brighter one that climbs"),
        Parameter("apart", "Colours apart", "% of width", low=0, high=1, rest=0.2, peak=0.2),
    ),
    needs=(Need.TIME,),
)
def old_tube(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows the picture on the curved glass of an old tube; lights are wide there, and lose its lines."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100

    def curved(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        x, y = points(max(2, width // 4), max(2, height // 4), height / width)
        from_x, from_y = _on_glass(x, y, height / width, values.bend * level)
        return np.asarray(looked_up(picture, from_x, from_y), np.uint8)

    def shining(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        glass = _glass((width, height), values.bend * level, round(values.lines), values.mask)
        moved = _parted(picture, round(values.apart / 100 * width * level))
        # What lines and mask take of the light is made up for.
        bright = cv2.convertScaleAbs(moved, alpha=1 + 0.4 * level)
        dark = cv2.multiply(bright, _in_part(glass.lined, level), scale=1 / _UNIT)
        light = cv2.multiply(bright, _in_part(glass.wide, level), scale=1 / _UNIT)
        done = cv2.add(
            cv2.multiply(dark, cv2.bitwise_not(moved), scale=1 / _UNIT),
            cv2.multiply(light, moved, scale=1 / _UNIT),
        )
        if values.bar:
            place = (np.arange(height) + 0.5) / height
            climbed = 1.2 - values.seconds * _BAR_SPEED % 1.4
            bump = np.exp(-(((place - climbed) / _BAR_HEIGHT) ** 2)) - 1
            hum = 0.08 * (np.sin(2 * np.pi * _HUM * values.seconds) - 1)
            done = shaded_rows(np.asarray(done, np.uint8), 1 + level * values.bar / 100 * 0.6 * (bump + hum))
        if values.glow == 0:
            return np.asarray(done, np.uint8)
        small = small_light(np.asarray(done, np.uint8), _SHRINK)
        soft = glare(small, _GLOW_WIDTH * small.shape[1])
        return lit(np.asarray(done, np.uint8), soft * np.float32(_GLOW * level * values.glow / 100))

    return Filter(curved, moves=True), Filter(shining)


class _Glass(NamedTuple):
    """Gains of a tube's glass, uint8, shape (height, width, 3): with its dark lines, and without."""

    lined: Picture
    wide: Picture


def _on_glass(
    x: Float32Array, y: Float32Array, half_height: float, bend: float
) -> tuple[Float32Array, Float32Array]:
    """Return where points of a curved screen look, in the unit of `points`."""
    strength = np.float32(bend / 100 * _BEND)
    tall = y / np.float32(half_height)
    scale = 1 / (1 + strength * np.float32(_ENLARGED))
    return (
        np.asarray(x * (1 + strength * tall * tall) * scale, np.float32),
        np.asarray(y * (1 + 1.4 * strength * x * x) * scale, np.float32),
    )


@lru_cache(maxsize=6)
def _glass(size: Size, bend: float, lines: int, mask: float) -> _Glass:
    """Return what stays of a tube: lines fade where they would be finer than the picture can show."""
    width, height = size
    half_height = height / width
    x, y = points(width, height, half_height)
    from_x, from_y = _on_glass(x, y, half_height, bend)
    down = from_y / np.float32(half_height)
    fine = np.clip((height / lines - 1.8) / 1.4, 0, 1)
    gain = 1 - np.float32(0.85 * fine) * (0.5 + 0.5 * np.cos(np.pi * (down + 1) * lines))
    stripe = max(0.0042 * width, 1e-3)
    deep = mask / 100 * np.clip((stripe - 2.2) / 1.6, 0, 1)
    at = 2 * np.pi * np.arange(width)[:, None] / stripe + 2 * np.pi / 3 * np.array([2, 1, 0])
    stripes = (1 - deep * (0.5 - 0.5 * np.cos(at))).astype(np.float32)[None]
    rim = np.ones_like(x)
    if bend > 0:
        out = (np.abs(from_x) ** _CORNER + np.abs(down) ** _CORNER) ** (1 / _CORNER)
        soft = max(_RIM_WIDTH * width, 1.5)
        rim = np.clip((1 - out) * width / 2 / soft, 0, 1) * (1 - 0.16 * (from_x**2 + down**2) ** 1.3)
    lined, wide = (
        np.rint(_UNIT * np.clip(one * rim[..., None], 0, 1)).astype(np.uint8)
        for one in (gain[..., None] * stripes, np.broadcast_to(0.25 + 0.75 * stripes, (height, width, 3)))
    )
    return _Glass(lined, wide)


def _in_part(gains: Picture, level: float) -> Picture:
    return (
        gains
        if level >= 1
        else np.asarray(cv2.addWeighted(gains, level, gains, 0, 255 * (1 - level)), np.uint8)
    )


def _parted(picture: Picture, step: int) -> Picture:
    """Return a picture with blue so many pixels to the left, and red to the right."""
    if step == 0:
        return picture
    width = picture.shape[1]
    blue, green, red = cv2.split(picture)
    blue = cv2.copyMakeBorder(blue, 0, 0, 0, step, cv2.BORDER_REPLICATE)[:, step:]
    red = cv2.copyMakeBorder(red, 0, 0, step, 0, cv2.BORDER_REPLICATE)[:, :width]
    return np.asarray(cv2.merge([blue, green, red]), np.uint8)
