"""Halftone: the picture printed in dots."""

from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture, Plane

_THREE, _ONE = "three", "one"
_TURNS = (0, 60, 30)
"""How much farther the screens of blue, green and red are turned, degrees, so that they make no pattern."""
_LEAST_CELL, _STEPS = 3.0, 4096


@effect(
    key="halftone",
    version=1,
    family=Family.FRAME,
    label="Halftone",
    group="Drawn",
    keywords="print dots comic newspaper screen raster pop art",
    parameters=(
        Parameter("amount", "Amount", "%", low=0, high=100, rest=0, peak=100),
        Parameter("cell", "Cell", "% of width", low=0.4, high=5, rest=1.1, peak=1.1),
        Parameter("angle", "Angle", "°", low=-90, high=90, rest=15, peak=15),
        ChoiceParameter("inks", "Inks", (_THREE, _ONE), _THREE),
        Parameter("soft", "Soft", "%", low=0, high=100, rest=25, peak=25),
        ColourParameter("paper", "Paper", "#f2e8d6"),
        ColourParameter("ink", "Ink", "#181a26", help="Where there is one"),
    ),
)
def halftone(values: Values) -> Operation | tuple[Operation, ...]:
    """Prints the picture in dots, each as large as it is dark there; the dots grow out of the picture."""
    if values.amount == 0:
        return NOTHING
    level = values.amount / 100
    paper, ink = (np.array(colour_to_bgr(text)) for text in (values.paper, values.ink))

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        cell = max(_LEAST_CELL, values.cell / 100 * width)
        steep = max(1.2, cell / 3.2 * (1 - values.soft / 140))
        reach = max(1, int(cell / 2)) | 1
        soft = cv2.addWeighted(picture, 1 - level, cv2.blur(picture, (reach, reach)), level, 0)

        def dots(plane: Plane, turn: float) -> Plane:
            screen = _screen((width, height), round(cell, 3), values.angle + turn)
            grown = cv2.addWeighted(plane, 1 + (steep - 1) * level, screen, -steep * level, 128 * level)
            return np.asarray(grown, np.uint8)

        if values.inks == _ONE:
            grey = cv2.cvtColor(np.asarray(soft, np.uint8), cv2.COLOR_BGR2GRAY)
            share = dots(np.asarray(grey, np.uint8), 0)
            table = np.linspace(255 * ink, 255 * paper, 256)[None]
            printed = cv2.LUT(cv2.merge([share] * 3), np.rint(table).astype(np.uint8))
            return np.asarray(cv2.addWeighted(soft, 1 - level, printed, level, 0), np.uint8)
        planes = [
            dots(np.asarray(plane, np.uint8), turn)
            for plane, turn in zip(cv2.split(soft), _TURNS, strict=True)
        ]
        tint = 1 + level * (0.5 * paper + 0.5 - 1)
        return np.asarray(cv2.transform(cv2.merge(planes), np.diag(tint)), np.uint8)

    return Filter(apply)


@lru_cache(maxsize=16)
def _screen(size: tuple[int, int], cell: float, angle: float) -> Plane:
    """Return the screen of a print: from which level on each place is paper, uint8, all levels as common."""
    width, height = size
    turn = np.deg2rad(angle)
    x, y = np.meshgrid(np.arange(width) + 0.5 - width / 2, np.arange(height) + 0.5 - height / 2)
    across, down = (
        2 * np.pi / cell * (x * np.cos(turn) + y * np.sin(turn)),
        2 * np.pi / cell * (y * np.cos(turn) - x * np.sin(turn)),
    )
    heights = (np.cos(across) + np.cos(down)).astype(np.float32)
    steps = np.rint((heights + 2) * np.float32((_STEPS - 1) / 4)).astype(np.intp)
    # As many places below a level as the level says: greys keep their brightness.
    ranks = np.cumsum(np.bincount(steps.ravel(), minlength=_STEPS)) / steps.size
    return np.asarray(np.rint(255 * ranks).astype(np.uint8)[steps], np.uint8)
