"""Chimes: a marble hops down a stair of chime bars; the last and longest rings."""

import numpy as np

from epiphane.demo.craft import glow, metal, place, plank, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_RADIUS = 32
_N_BARS = 7
_PITCHES = (1175, 1047, 880, 784, 698, 587, 440)


def make() -> Scene:
    """Return the scene."""
    bars = [(150 + 158 * k, 232 + 57 * k) for k in range(_N_BARS)]
    trial, _ = _hops(0.0, bars)
    motion, hits = _hops(0.3 + on_frame(trial.end + 0.3), bars)
    impact = hits[-1]
    x, y = motion.position
    motion.bounce(keep=0.62, kick=20)
    motion.fall(until_y=900)
    backdrop = wall(colour=(96, 104, 128), light=(820, 300), seed=51)
    for side in (-1, 1):
        rail = plank(1220, 18, colour=(62, 106, 158), seed=60 + side)
        place(backdrop, rail, 628, 440 + 34 + side * 10, turn=float(np.arctan2(57, 158)), shadow=0.35)
    sprites = [metal(128 + 3 * k, 30 + 3 * k, colour=(80, 172, 222), radius=9) for k in range(_N_BARS)]

    def paint(canvas: Float32Array, time: float) -> None:
        for k, (bar_x, bar_y) in enumerate(bars):
            since = time - hits[k]
            ringing = np.exp(-since / 0.22) if since >= 0 else 0.0
            shake = 7 * ringing * np.sin(75 * since)
            place(canvas, sprites[k], bar_x, bar_y + 16 + shake, turn=0.02 * ringing, shadow=0.5)
            glow(canvas, bar_x, bar_y + 10, 74, (90, 190, 255), 0.75 * ringing)
        put_marble(canvas, motion, time, "cherry")
        ring(canvas, x, y + _RADIUS, time - impact, (150, 205, 255))

    def camera(time: float) -> tuple[float, float, float]:
        seen_x, seen_y, _ = motion.at(min(time - 0.08, impact))
        return 640 + 0.62 * (seen_x - 640), 360 + 0.5 * (seen_y - 380), 1.3

    strikes = [Strike(t, pitch, 0.5) for t, pitch in zip(hits[:-1], _PITCHES, strict=False)]
    return Scene(
        "chimes", 7.0, impact, backdrop, paint, [*strikes, Strike(impact, _PITCHES[-1], 1.0)], camera
    )


def _hops(wait: float, bars: list[tuple[int, int]]) -> tuple[Motion, list[float]]:
    motion = Motion(bars[0][0] - 40, -60, _RADIUS, start=wait)
    hits = []
    motion.velocity = (70.0, 60.0)
    for k, (_, y) in enumerate(bars):
        motion.fall(until_y=y - _RADIUS)
        hits.append(motion.end)
        if k + 1 < len(bars):
            up = -330.0 if k + 2 < len(bars) else -560.0
            seconds = (-up + np.sqrt(up**2 + 2 * 1500 * 57)) / 1500
            motion.velocity = ((bars[k + 1][0] - motion.position[0]) / seconds, up)
    return motion, hits
