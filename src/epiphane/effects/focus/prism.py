"""Prism: colours part towards the edge, as a smear of the spectrum."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up
from epiphane.types import Picture

_PLACES = ((-1.0, -0.55), (0.0,), (0.55, 1.0))
"""Where in the spectrum blue, green and red are looked up; the mean of two is a smear."""


@effect(
    key="prism",
    version=1,
    family=Family.FOCUS,
    label="Prism",
    group="Lenses",
    keywords="chromatic aberration rainbow spectrum lens fringe rgb",
    parameters=(
        Parameter("reach", "Reach", "% of width", low=0, high=15, rest=0, peak=7),
        Parameter("curve", "Begins late", "", low=1, high=4, rest=1.7, peak=1.7),
        Parameter("clean", "Clean middle", "%", low=0, high=60, rest=15, peak=15),
        Parameter("twist", "Twist", "°", low=-90, high=90, rest=0, peak=0),
        Parameter("centre_x", "Centre across", "%", low=0, high=100, rest=50, peak=50),
        Parameter("centre_y", "Centre down", "%", low=0, high=100, rest=50, peak=50),
    ),
)
def prism(values: Values) -> Operation | tuple[Operation, ...]:
    """Parts colours more and more towards the edge, as a smear of the whole spectrum and not as copies."""
    if values.reach == 0:
        return NOTHING
    turn, clean = np.deg2rad(values.twist), values.clean / 100

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        half_height = picture.shape[0] / picture.shape[1]
        away_x, away_y = x - (values.centre_x / 50 - 1), y - (values.centre_y / 50 - 1) * half_height
        away = np.hypot(away_x, away_y) + 1e-6
        grown = np.clip((away / np.hypot(1, half_height) - clean) / (1 - clean), 0, 1.4) ** values.curve
        amount = values.reach / 50 * grown / away
        across = (away_x * np.cos(turn) - away_y * np.sin(turn)) * amount
        down = (away_x * np.sin(turn) + away_y * np.cos(turn)) * amount
        made = []
        for plane, places in zip(cv2.split(picture), _PLACES, strict=True):
            parts = [plane if at == 0 else looked_up(plane, x - at * across, y - at * down) for at in places]
            made.append(parts[0] if len(parts) == 1 else cv2.addWeighted(parts[0], 0.5, parts[1], 0.5, 0))
        return np.asarray(cv2.merge(made), np.uint8)

    return Filter(apply, moves=True)
