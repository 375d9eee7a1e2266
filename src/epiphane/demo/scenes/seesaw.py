"""Seesaw: a heavy marble lands on one end and throws a light one off the other."""

import numpy as np

from epiphane.demo.craft import metal, place, plank, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_HEAVY, _LIGHT = 56, 26
_PIVOT = (620, 560)
_ARM = 330
_TILT = 0.20
_FALL_Y = _PIVOT[1] - _ARM * np.sin(_TILT) - 12 - _HEAVY


def make() -> Scene:
    """Return the scene."""
    trial = Motion(_PIVOT[0] - _ARM, -80, _HEAVY).fall(until_y=_FALL_Y)
    heavy = Motion(_PIVOT[0] - _ARM, -80, _HEAVY, start=0.8 + on_frame(0.8 + trial.end)).fall(until_y=_FALL_Y)
    impact = heavy.end
    swing = 0.11
    t = np.linspace(0.004, swing, 40)
    angles = -_TILT + 2 * _TILT * (t / swing) ** 1.5
    heavy.carried(
        impact + t, _PIVOT[0] - _ARM * np.cos(angles), _PIVOT[1] + _ARM * np.sin(-angles) * -1 - 12 - _HEAVY
    )
    heavy.carried(impact + swing + np.linspace(0.01, 0.5, 60), *_rock(heavy))
    light = Motion(_PIVOT[0] + _ARM - 20, _PIVOT[1] + _ARM * np.sin(_TILT) - 12 - _LIGHT, _LIGHT, start=0.0)
    light.rest(impact)
    throw = _PIVOT[1] - _ARM * np.sin(angles) - 12 - _LIGHT
    light.carried(impact + t, np.full_like(t, _PIVOT[0] + _ARM - 20), throw)
    light.velocity = (-40.0, -1120.0)
    light.fall(until_y=_PIVOT[1] - _ARM * np.sin(_TILT) - 12 - _LIGHT)
    landed = light.end
    light.bounce(keep=0.35, kick=150).fall(until_y=616).bounce(keep=0.4).fall(until_y=616)
    backdrop = wall(colour=(112, 122, 106), light=(760, 260), seed=71)
    board = plank(2 * _ARM + 120, 26, colour=(74, 138, 210), seed=72)
    stand = _stand()

    def paint(canvas: Float32Array, time: float) -> None:
        since = time - impact
        share = float(np.clip(since / swing, 0, 1))
        angle = -_TILT + 2 * _TILT * share**1.5
        if since > swing:
            angle += -0.05 * np.exp(-(since - swing) / 0.16) * np.sin(34 * (since - swing))
        place(canvas, stand, _PIVOT[0], _PIVOT[1] + 2, anchor=(0.5, 0.02), shadow=0.45)
        place(canvas, board, *_PIVOT, turn=-angle, shadow=0.5)
        place(canvas, metal(34, 34, colour=(70, 150, 205), radius=16), *_PIVOT)
        put_marble(canvas, heavy, time, "plum")
        put_marble(canvas, light, time, "amber")
        ring(canvas, _PIVOT[0] - _ARM, _FALL_Y + _HEAVY, since, (200, 180, 255))

    def camera(time: float) -> tuple[float, float, float]:
        since = max(time - impact, 0.0)
        jolt = 9 * np.exp(-since / 0.09) * np.sin(60 * since)
        return 640, 372 + jolt, 1.05 + 0.05 * min(time / impact, 1)

    strikes = [Strike(impact, 130, 1.0), Strike(impact + swing, 0, 0.7), Strike(landed, 0, 0.35)]
    return Scene("seesaw", 4.5, impact, backdrop, paint, strikes, camera)


def _rock(heavy: Motion) -> tuple[np.ndarray, np.ndarray]:
    x, y = heavy.position
    t = np.linspace(0.01, 0.5, 60)
    return x + 5 * np.sin(16 * t) * np.exp(-t / 0.2), np.full_like(t, y)


def _stand() -> Float32Array:
    sprite = plank(150, 92, colour=(62, 104, 152), seed=77, radius=2)
    height, width = sprite.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    inside = (0.16 + 0.84 * y / height) * width / 2 - np.abs(x - width / 2)
    sprite[..., 3] *= np.clip(inside, 0, 1)
    return sprite
