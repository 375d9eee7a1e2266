"""Broken tape: narrow colour that comes late, lines that wander, a band of noise, lost lines."""

from typing import NamedTuple

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Float32Array, FloatArray, Picture, Plane

_LINES, _CELLS = 288, 240
"""Of a tape, whatever the size of the picture: so a preview looks like the export."""
_CHANGES = 25
_BAND_SPEED, _BAND_HEIGHT, _FOOT = 0.23, 0.055, 0.962
_COLOUR_SHRINK, _LATE, _LOW = 8, 0.011, 0.004


class _Worn(NamedTuple):
    """What a tape has lost on a frame, by its lines.

    How far each stands off, float32, shape (lines,), shares of the width; what noise adds to levels, float32,
    shape (lines, cells); how much of its colour is gone, float32, shape (lines,), 0 to 1.
    """

    shift: Float32Array
    snow: Float32Array
    dead: Float32Array


def _worn(values: Values, level: float) -> _Worn:
    """Return what the tape has lost: others 25 times a second, the band climbs slowly."""
    step, seed = step_at(values.seconds, _CHANGES), int(values.seed)
    generator = np.random.default_rng((seed, step))
    down = (np.arange(_LINES) + 0.5) / _LINES
    jitter, tracking = values.jitter / 100, values.tracking / 100

    def by_line(key: int, lumps: int) -> FloatArray:
        drawn = np.random.default_rng((seed, key, lumps)).normal(0, 1, (lumps, 1)).astype(np.float32)
        return np.asarray(cv2.resize(drawn, (1, _LINES), interpolation=cv2.INTER_CUBIC)[:, 0], float)

    wave = 0.006 * jitter * (by_line(step // 3, 6) + 0.4 * by_line(step, 40))
    band_at = 1.15 - (values.seconds * _BAND_SPEED + 0.37 * seed) % 1.35
    near = np.exp(-(((down - band_at) / _BAND_HEIGHT) ** 2)) * tracking
    band = near * (0.05 + 0.09 * np.abs(by_line(step + 5, 60))) * (1 if np.sin(1.3 * step) > -0.3 else -1)
    foot = np.clip((down - _FOOT) / (1 - _FOOT), 0, 1) * values.switching / 100
    skew = foot**0.7 * (0.1 + 0.08 * np.sin(0.9 * step)) + 0.02 * foot * generator.normal(0, 1, _LINES)
    top = 0.03 * jitter * np.exp(-26 * down) * np.sin(0.7 * step)
    strength = np.clip(1.4 * near + 0.7 * foot, 0, 1) * level
    shift = level * (wave + band + skew + top)
    return _Worn(
        shift.astype(np.float32),
        _snow(generator, strength, level * values.noise / 100, level * values.dropouts / 100),
        np.minimum(1.2 * strength, 1).astype(np.float32),
    )


def _snow(
    generator: np.random.Generator, strength: FloatArray, noise: float, dropouts: float
) -> Float32Array:
    """Return noise everywhere, snow where it is strong, and lines that go white and die away to the right."""
    bits = (
        np.frombuffer(generator.bytes(_CELLS * _LINES), np.uint8).reshape(_LINES, _CELLS).astype(np.float32)
    )
    fine = (bits - 127.5) * np.float32(0.4 * noise)
    power = strength[:, None]
    snow = (bits > 255 - 110 * power**1.5) * (190 * (0.4 + 0.6 * power))
    snow = np.asarray(cv2.blur(snow.astype(np.float32), (3, 1)), np.float32)
    for _ in range(int(generator.poisson(18 * dropouts))):
        line, start, length = (
            int(generator.integers(*span)) for span in ((0, _LINES), (-20, _CELLS), (6, 60))
        )
        cells = np.arange(max(start, 0), min(start + length, _CELLS))
        fading = 235 - 205 * (cells - start) / length
        snow[line, cells] += (fading * (0.4 + 0.6 * generator.random())).astype(np.float32)
    return np.asarray(fine + snow, np.float32)


def _soft_luma(luma: Plane, level: float, bleed: float) -> Plane:
    """Return brightness as narrow as a tape has it, with the overshoot that makes it look sharp again."""
    reach = max(1, round(0.0022 * luma.shape[1] * level * (0.6 + bleed / 100))) | 1
    soft = cv2.blur(luma, (reach, 1))
    wide = cv2.blur(soft, (3 * reach, 1))
    return np.asarray(cv2.addWeighted(soft, 1 + 0.9 * level, wide, -0.9 * level, 0), np.uint8)


def _late_colour(colour: Picture, level: float, bleed: float) -> Picture:
    """Return two planes of colour with a fifth of the width, late, and a little lower."""
    height, width = colour.shape[:2]
    size = max(2, width // _COLOUR_SHRINK), max(2, height // 2)
    small = cv2.resize(colour, size, interpolation=cv2.INTER_AREA)
    reach = max(1, round(0.036 * size[0] * bleed / 100 * level)) | 1
    small = cv2.blur(cv2.blur(small, (reach, 1)), (reach, 3))
    right, lower = round(_LATE * bleed / 60 * level * width), round(_LOW * height * level)
    whole = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
    whole = cv2.copyMakeBorder(whole, lower, 0, right, 0, cv2.BORDER_REPLICATE)[:height, :width]
    return np.asarray(cv2.addWeighted(colour, 1 - min(4 * level, 1), whole, min(4 * level, 1), 0), np.uint8)


@effect(
    key="broken-tape",
    version=1,
    family=Family.GLITCH,
    label="Broken tape",
    group="Tape and tube",
    keywords="vhs video cassette analogue tracking dropout noise retro",
    lasts=True,
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("tracking", "Tracking", "%", low=0, high=100, rest=60, peak=60, help="A band that climbs"),
        Parameter("bleed", "Colour bleeds", "%", low=0, high=100, rest=80, peak=80),
        Parameter("jitter", "Jitter", "%", low=0, high=200, rest=100, peak=100, help="Of lines"),
        Parameter("dropouts", "Dropouts", "%", low=0, high=100, rest=50, peak=50),
        Parameter("switching", "Torn foot", "%", low=0, high=100, rest=60, peak=60),
        Parameter("noise", "Noise", "%", low=0, high=100, rest=50, peak=50),
    ),
    needs=(Need.TIME,),
)
def broken_tape(values: Values) -> Operation | tuple[Operation, ...]:
    """Plays the picture from a worn tape: late narrow colour, wandering lines, a noise band, dropouts."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    worn = _worn(values, level)

    def bled(picture: Picture) -> Picture:
        luma, *colour = cv2.split(cv2.cvtColor(picture, cv2.COLOR_BGR2YCrCb))
        soft = _soft_luma(np.asarray(luma, np.uint8), level, values.bleed)
        late = _late_colour(np.asarray(cv2.merge(colour), np.uint8), level, values.bleed)
        return np.asarray(cv2.cvtColor(cv2.merge([soft, *cv2.split(late)]), cv2.COLOR_YCrCb2BGR), np.uint8)

    def displaced(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        shift = cv2.resize((worn.shift * width)[:, None], (1, height), interpolation=cv2.INTER_NEAREST)
        across = np.arange(width, dtype=np.float32)[None] - shift
        down = np.repeat(np.arange(height, dtype=np.float32)[:, None], width, axis=1)
        return np.asarray(
            cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT), np.uint8
        )

    def snowed(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        added = cv2.resize(worn.snow, (width, height), interpolation=cv2.INTER_LINEAR)
        dead = cv2.resize(worn.dead[:, None], (1, height), interpolation=cv2.INTER_LINEAR)
        grey = cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY)
        weights = np.repeat(dead.reshape(height, 1), width, axis=1)
        # Colour is lost where there is snow.
        whole = cv2.blendLinear(cv2.merge([grey] * 3), np.ascontiguousarray(picture), weights, 1 - weights)
        return np.asarray(cv2.add(whole, cv2.merge([added] * 3), dtype=cv2.CV_8U), np.uint8)

    return Filter(bled), Filter(displaced, moves=True), Filter(snowed)
