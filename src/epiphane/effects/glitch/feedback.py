"""Feedback: a camera that films its own screen."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Mix, Operation
from epiphane.types import FloatArray, Picture

_GENERATIONS, _APART, _MOST_MIXED = 6, 2, 0.65
_LIGHTEN, _MIX, _DIFFERENCE = "lighter", "mixed", "difference"


def _echoes(values: Values) -> tuple[int, ...]:
    return () if values.amount == 0 else tuple(-_APART * number for number in range(1, _GENERATIONS + 1))


def _hue_turn(angle: float, gain: float) -> FloatArray:
    """Return the matrix that turns hues about the grey axis (Rodrigues) and dims, float64, shape (3, 3)."""
    turn = np.deg2rad(angle)
    cross = np.array([[0, -1, 1], [1, 0, -1], [-1, 1, 0]]) / np.sqrt(3)
    along = np.full((3, 3), 1 / 3)
    return np.asarray(gain * (np.eye(3) * np.cos(turn) + (1 - np.cos(turn)) * along + np.sin(turn) * cross))


def _blended(front: Picture, back: Picture, blend: str, share: float, level: float) -> Picture:
    if blend == _MIX:
        return np.asarray(cv2.addWeighted(front, 1 - share * level, back, share * level, 0), np.uint8)
    weak = cv2.convertScaleAbs(back, alpha=level)
    return np.asarray(cv2.absdiff(front, weak) if blend == _DIFFERENCE else cv2.max(front, weak), np.uint8)


@effect(
    key="feedback",
    version=1,
    family=Family.GLITCH,
    label="Feedback",
    group="Time",
    keywords="video howl recursive tunnel echo mirror screen",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("scale", "Scale", "%", low=60, high=160, rest=100, peak=87, help="Of each in the next"),
        Parameter("turn", "Turn", "°", low=-45, high=45, rest=0, peak=9),
        Parameter("kept", "Kept", "%", low=30, high=98, rest=94, peak=94),
        Parameter("hue", "Hue turn", "°", low=-90, high=90, rest=0, peak=16),
        ChoiceParameter("blend", "Blend", (_MIX, _LIGHTEN, _DIFFERENCE), _MIX),
    ),
    echoes=_echoes,
)
def feedback(values: Values) -> Operation | tuple[Operation, ...]:
    """Shows earlier frames in each other, turned and smaller, as a camera before its own screen does."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    # Mixed, nothing is dimmed: each is kept as a share, so that what is whole stays whole.
    tone = _hue_turn(values.hue, 1.0 if values.blend == _MIX else values.kept / 100)
    share = _MOST_MIXED * values.kept / 100

    def apply(picture: Picture, others: Sequence[Picture]) -> Picture:
        height, width = picture.shape[:2]
        half = max(1, width // 2), max(1, height // 2)
        frames = [cv2.resize(one, half, interpolation=cv2.INTER_AREA) for one in (picture, *others)]
        matrix = cv2.getRotationMatrix2D((half[0] / 2, half[1] / 2), -values.turn, values.scale / 100)
        border = cv2.BORDER_REFLECT if values.blend == _MIX else cv2.BORDER_CONSTANT
        seen = frames[-1]
        for frame in (*frames[-2::-1], None):
            moved = cv2.warpAffine(seen, matrix, half, flags=cv2.INTER_LINEAR, borderMode=border)
            seen = cv2.transform(moved, tone)
            if frame is not None:
                seen = _blended(
                    np.asarray(frame, np.uint8), np.asarray(seen, np.uint8), values.blend, share, 1.0
                )
        whole = cv2.resize(seen, (width, height), interpolation=cv2.INTER_LINEAR)
        return _blended(picture, np.asarray(whole, np.uint8), values.blend, share, level)

    return Mix(apply)
