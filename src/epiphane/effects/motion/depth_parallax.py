"""Depth parallax: near parts move against far ones, by a guess at depth."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import coarse_points, looked_up
from epiphane.effects.turning import direction
from epiphane.types import Float32Array, Picture

_COLUMNS = 160
_SMOOTH = 0.07
"""How far the guess is smoothed, of the width: depth that follows every edge would bend lettering."""
_FEWEST, _MOST = 3, 97
_LEAST_RANGE = 0.02


@effect(
    key="depth-parallax",
    version=1,
    family=Family.MOTION,
    label="Depth parallax",
    group="Camera",
    keywords="3d dolly zoom vertigo layers 2.5d camera push",
    lasts=True,
    parameters=(
        Parameter("reach", "Swings", "% of width", low=0, high=12, rest=0, peak=4),
        Parameter("push", "Push", "%", low=-40, high=40, rest=0, peak=16, help="Near grows, far shrinks"),
        Parameter("rate", "Rate", "a second", low=0, high=3, rest=0.35, peak=0.35),
        Parameter("angle", "Angle", "°", low=-180, high=180, rest=0, peak=0, help="Of the swing"),
        Parameter("bright", "By brightness", "%", low=0, high=100, rest=50, peak=50),
        Parameter("sharp", "By sharpness", "%", low=0, high=100, rest=50, peak=50),
        Parameter("low", "By height", "%", low=0, high=100, rest=40, peak=40, help="What is low is near"),
    ),
    needs=(Need.TIME,),
)
def depth_parallax(values: Values) -> Operation | tuple[Operation, ...]:
    """Moves what seems near against what seems far, as a camera that travels does; the depth is a guess."""
    if values.reach == values.push == 0:
        return NOTHING
    swing = values.reach / 50 * np.cos(2 * np.pi * values.rate * values.seconds)
    shift_x, shift_y = direction(values.angle) * swing
    grow = values.push / 100
    # A little nearer than the frame, so that nothing beyond the edge is needed.
    closer = 1 / (1 + 0.5 * values.reach / 100 + 0.2 * abs(grow))

    def apply(picture: Picture) -> Picture:
        x, y = coarse_points(picture)
        depth = _depth_of(picture, values.bright, values.sharp, values.low)
        near = 2 * cv2.resize(depth, (x.shape[1], x.shape[0]), interpolation=cv2.INTER_LINEAR) - 1
        scale = closer * (1 - grow * near)
        from_x, from_y = x * scale - shift_x * near, y * scale - shift_y * near
        return np.asarray(looked_up(picture, from_x.astype(np.float32), from_y.astype(np.float32)), np.uint8)

    return Filter(apply)


def _depth_of(picture: Picture, bright: float, sharp: float, low: float) -> Float32Array:
    """Return how near each part seems, float32, shape (rows, 160), 0 to 1: what is bright, sharp or low."""
    height, width = picture.shape[:2]
    rows = max(4, round(_COLUMNS * height / width))
    twice = cv2.resize(picture, (2 * _COLUMNS, 2 * rows), interpolation=cv2.INTER_AREA)
    grey = cv2.cvtColor(twice, cv2.COLOR_BGR2GRAY)
    fine = cv2.absdiff(grey, cv2.GaussianBlur(grey, (0, 0), 2))
    light, detail = (
        np.asarray(cv2.resize(one, (_COLUMNS, rows), interpolation=cv2.INTER_AREA), np.float32) / 255
        for one in (grey, fine)
    )
    broad = np.asarray(cv2.GaussianBlur(detail, (0, 0), 4), np.float32)
    broad /= max(float(broad.max()), 1 / 255)
    down = np.linspace(0, 1, rows, dtype=np.float32)[:, None]
    total = max(bright + sharp + low, 1.0)
    guess = ((bright * light + sharp * broad + low * down) / total).astype(np.float32)
    smooth = cv2.GaussianBlur(guess, (0, 0), _SMOOTH * _COLUMNS, borderType=cv2.BORDER_REFLECT)
    least, most = np.percentile(smooth[::2, ::2], (_FEWEST, _MOST))
    spread = np.clip((smooth - least) / max(float(most - least), _LEAST_RANGE), 0, 1)
    return np.asarray(cv2.GaussianBlur(spread.astype(np.float32), (0, 0), 2.0), np.float32)
