"""Strips: the picture is cut into bands that slide apart."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.types import Picture

_UPRIGHT, _LYING = "upright", "lying"
_LEAST = 0.6


@effect(
    key="strips",
    version=1,
    family=Family.FRAME,
    label="Strips",
    group="Layouts",
    keywords="slices bands cut slide panels blinds",
    parameters=(
        Parameter("reach", "Reach", "% of their length", low=0, high=100, rest=0, peak=30),
        Parameter("count", "Strips", "", low=2, high=60, rest=7, peak=7, is_whole=True),
        ChoiceParameter("stand", "They are", (_UPRIGHT, _LYING), _UPRIGHT),
        ChoiceParameter("follows", "Behind comes", ("its mirror image", "its other end"), "its mirror image"),
    ),
)
def strips(values: Values) -> Operation | tuple[Operation, ...]:
    """Cuts the picture into bands that slide apart, every other one the other way."""
    if values.reach == 0:
        return NOTHING
    count = round(values.count)
    ways = [(-1) ** (n + 1) * (_LEAST + (1 - _LEAST) * np.sin(2.4 * n) ** 2) for n in range(count)]
    border = cv2.BORDER_REFLECT if values.follows == "its mirror image" else cv2.BORDER_WRAP

    def apply(picture: Picture) -> Picture:
        stood = picture if values.stand == _UPRIGHT else cv2.transpose(picture)
        height, width = stood.shape[:2]
        done = np.empty_like(stood)
        edges = np.linspace(0, width, count + 1).astype(int)
        for first, end, way in zip(edges[:-1], edges[1:], ways, strict=True):
            if end == first:
                continue
            moved = round(values.reach / 100 * height * way)
            above, below = max(moved, 0), max(-moved, 0)
            longer = cv2.copyMakeBorder(stood[:, first:end], above, below, 0, 0, border)
            done[:, first:end] = longer[below : below + height]
        return np.ascontiguousarray(done if values.stand == _UPRIGHT else cv2.transpose(done), np.uint8)

    return Filter(apply, moves=True)
