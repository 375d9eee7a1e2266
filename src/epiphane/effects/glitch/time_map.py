"""Time map: each part of the picture is late by its own measure."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.noise import clouds
from epiphane.types import Float32Array, Picture

_CLOUDS, _BRIGHTNESS, _RINGS = "clouds", "brightness", "rings"
_MOST = 12
_COLUMNS = 96
_PATTERN = ((np.arange(16).reshape(4, 4) * 7 % 16 + 0.5) / 16).astype(np.float32)


def _echoes(values: Values) -> tuple[int, ...]:
    return (
        ()
        if values.lag == 0
        else tuple(-number for number in range(1, min(max(round(values.lag), 1), _MOST) + 1))
    )


@effect(
    key="time-map",
    version=1,
    family=Family.GLITCH,
    label="Time map",
    group="Time",
    keywords="time displacement delay late liquid clouds rings",
    parameters=(
        Parameter("lag", "Lag", "frames", low=0, high=_MOST, rest=0, peak=_MOST, help="At the latest place"),
        ChoiceParameter("by", "Late by", (_CLOUDS, _BRIGHTNESS, _RINGS), _CLOUDS),
        Parameter("lumps", "Size", "% of width", low=8, high=100, rest=25, peak=25),
        Parameter("drift", "Drift", "a second", low=0, high=2, rest=0.3, peak=0.3),
    ),
    needs=(Need.TIME,),
    echoes=_echoes,
)
def time_map(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows each part of the picture late by another time: by clouds that drift, its brightness, or rings."""
    if values.lag == 0:
        return NOTHING

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        frames = [picture, *others]
        share = cv2.resize(_field(picture, values), (width, height), interpolation=cv2.INTER_LINEAR)
        late = np.minimum(share * np.float32(values.lag), len(frames) - 1)
        # Frames beside each other differ little: each place takes one, and a pattern hides where they meet.
        number = (late + np.tile(_PATTERN, (-(-height // 4), -(-width // 4)))[:height, :width]).astype(
            np.uint8
        )
        done = picture.copy()
        for ago, frame in enumerate(frames[1:], 1):
            cv2.copyTo(frame, (number == ago).astype(np.uint8), done)
        return done

    return Mix(apply)


def _field(picture: Picture, values: Values) -> Float32Array:
    """Return how late each place is, float32, shape (rows, 96), 0 to 1."""
    height, width = picture.shape[:2]
    rows = max(2, round(_COLUMNS * height / width))
    if values.by == _BRIGHTNESS:
        small = cv2.cvtColor(
            cv2.resize(picture, (_COLUMNS, rows), interpolation=cv2.INTER_AREA), cv2.COLOR_BGR2GRAY
        )
        return np.asarray(cv2.GaussianBlur(small, (0, 0), 2), np.float32) / np.float32(255)
    place = values.seconds * values.drift
    if values.by == _RINGS:
        x, y = np.meshgrid(np.linspace(-1, 1, _COLUMNS), np.linspace(-1, 1, rows) * height / width)
        rings = np.hypot(x, y) * 50 / values.lumps - 2 * place
        return np.asarray(0.5 + 0.5 * np.sin(2 * np.pi * rings), np.float32)
    step, share = int(place), place % 1
    eased = np.float32(share * share * (3 - 2 * share))
    before, after = (
        clouds((values.seed, step + more), (_COLUMNS, rows), max(1, round(100 / values.lumps)), 2)
        for more in (0, 1)
    )
    return np.asarray(np.clip((before + (after - before) * eased - 0.25) * 2, 0, 1), np.float32)
