"""Dominoes: a row falls over, and the last one opens the gate for a marble that rings a bell."""

import numpy as np

from epiphane.demo.craft import metal, place, plank, plate, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_N = 13
_GAP, _TALL, _WIDE = 58, 128, 24
_FLOOR = 560
_COLOURS = ((84, 74, 204), (70, 158, 232), (132, 170, 88), (176, 132, 74), (150, 86, 150))
_PUSH = 0.115


def make() -> Scene:
    """Return the scene."""
    left = 150
    base = 0.75
    last_falls = base + _PUSH * (_N - 1)
    wait = on_frame(last_falls + 0.17)
    tips = [base + wait + _PUSH * k for k in range(_N)]
    impact = tips[-1] + 0.17
    gate_x = left + _GAP * _N + 32
    ball = Motion(gate_x + 52, _FLOOR - 92 - 30, 30).rest(impact)
    ball.roll((gate_x + 300, _FLOOR - 62 - 30), (1300, _FLOOR + 10))
    starter = Motion(-60, _FLOOR - 34, 34).rest(tips[0] - 0.42)
    t = np.linspace(0.01, 0.40, 60)
    starter.carried(tips[0] - 0.42 + t, -60 + (left - 34 - 12 + 60) * t / 0.40, np.full_like(t, _FLOOR - 34))
    starter.rest(3)
    backdrop = wall(colour=(118, 104, 104), light=(560, 300), seed=91)
    place(backdrop, plank(1340, 44, colour=(80, 134, 190), seed=92), 620, _FLOOR + 22, shadow=0.5)
    ramp = plank(460, 24, colour=(70, 126, 196), seed=93)
    tiles = [plate(_WIDE, _TALL, colour=_COLOURS[k % len(_COLOURS)]) for k in range(_N)]
    gate = metal(20, 128, colour=(86, 170, 216), radius=8)

    def paint(canvas: Float32Array, time: float) -> None:
        place(canvas, ramp, gate_x + 210, _FLOOR - 66, turn=0.12, shadow=0.45)
        put_marble(canvas, ball, time, "sea")
        since = time - impact
        swing = 1.35 * (1 - np.exp(-max(since, 0) / 0.10) * np.cos(9 * max(since, 0)))
        place(canvas, gate, gate_x + 8, _FLOOR - 214, turn=-swing, anchor=(0.5, 0.04), shadow=0.5)
        for k in range(_N - 1, -1, -1):
            place(
                canvas,
                tiles[k],
                left + _GAP * k + _WIDE / 2,
                _FLOOR,
                turn=_lean(time - tips[k], k),
                anchor=(1.0, 1.0),
                shadow=0.5,
            )
        put_marble(canvas, starter, time, "milk")
        ring(canvas, gate_x, _FLOOR - 120, since, (140, 200, 255))

    def camera(time: float) -> tuple[float, float, float]:
        share = np.clip((time - tips[0] + 0.3) / (impact - tips[0] + 0.6), 0, 1)
        return 420 + 460 * share**2 * (3 - 2 * share), 420, 1.42

    strikes = [Strike(t + 0.10, 0, 0.22 + 0.015 * k) for k, t in enumerate(tips)]
    return Scene("dominoes", 5.0, impact, backdrop, paint, [*strikes, Strike(impact, 659, 0.95)], camera)


def _lean(since: float, k: int) -> float:
    """Return how far a tile has fallen: it comes to rest on its neighbour, the last on the gate."""
    if since <= 0:
        return 0.0
    rest = 1.16 if k < _N - 1 else 0.62
    return float(rest * min(since / 0.26, 1.0) ** 2.2)
