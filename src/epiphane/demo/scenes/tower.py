"""Tower: marbles fall between pegs, the last one into a copper cup."""

import numpy as np

from epiphane.demo.craft import metal, place, plank, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_RADIUS = 27
_PEGS = [(640 + 118 * (k - n / 2), 190 + 96 * n) for n in range(4) for k in range(n + 1)]
_CUP_Y = 592


def make() -> Scene:
    """Return the scene."""
    paths = (((1, 1, -1), "sea"), ((-1, 1, 1), "plum"), ((1, -1, -1), "cherry"))
    trial, _ = _drop(2.1, paths[2][0])
    runs, strikes = [], []
    for index, (turns, glass) in enumerate(paths):
        wait = 0.15 + 0.75 * index if index < 2 else 2.1 + on_frame(trial.end)
        motion, hits = _drop(wait, turns)
        runs.append((motion, glass))
        strikes += [Strike(t, pitch, 0.45) for t, pitch in zip(hits, (523, 587, 659, 784), strict=True)]
    impact = runs[-1][0].end
    x = runs[-1][0].position[0]
    for motion, _ in runs:
        _come_to_rest(motion)
    strikes += [Strike(m_time, 0, 0.3) for m_time in (runs[0][0].end - 0.6, runs[1][0].end - 0.6)]
    strikes.append(Strike(impact, 392, 0.95))
    backdrop = wall(colour=(122, 108, 92), light=(640, 250), seed=31)
    for side in (-1, 1):
        post = plank(560, 26, colour=(70, 120, 176), seed=40 + side)
        place(backdrop, post, 640 + side * 292, 372, turn=np.pi / 2, shadow=0.5)
    place(backdrop, plank(640, 30, colour=(84, 140, 196), seed=44), 640, 650, shadow=0.4)
    for peg_x, peg_y in _PEGS:
        place(backdrop, metal(30, 30, colour=(70, 140, 196), radius=14), peg_x, peg_y, shadow=0.55)
    cup = metal(132, 66, colour=(66, 104, 188), radius=16)
    cups = sorted({round(motion.position[0]) for motion, _ in runs})

    def paint(canvas: Float32Array, time: float) -> None:
        for motion, glass in runs:
            put_marble(canvas, motion, time, glass)
        for cup_x in cups:
            hop = 5 * np.exp(-max(time - impact, 0) / 0.12) if time > impact and abs(cup_x - x) < 60 else 0.0
            place(canvas, cup, cup_x, _CUP_Y + 22 + hop, shadow=0.3)
        ring(canvas, x, _CUP_Y - 14, time - impact, (130, 170, 255))

    def camera(time: float) -> tuple[float, float, float]:
        return 640, 330 + 40 * min(time / 3, 1), 1.06 + 0.10 * min(time / impact, 1) ** 2

    return Scene("tower", 6.0, impact, backdrop, paint, strikes, camera)


def _drop(wait: float, turns: tuple[int, ...]) -> tuple[Motion, list[float]]:
    motion = Motion(640, -40, _RADIUS, start=wait)
    hits = []
    for level, turn in enumerate((*turns, turns[0])):
        x, _ = motion.position
        motion.fall(until_y=190 + 96 * level - _RADIUS - 14)
        hits.append(motion.end)
        # The next peg is half a distance to one side; the flight there takes what it takes.
        target = x + turn * 59
        up = -170.0
        drop = 96.0 if level < 3 else _CUP_Y - (190 + 96 * 3 - _RADIUS - 14)
        seconds = (-up + np.sqrt(up**2 + 2 * 1500 * drop)) / 1500
        motion.velocity = ((target - x) / seconds, up)
    motion.fall(until_y=_CUP_Y)
    return motion, hits


def _come_to_rest(motion: Motion) -> None:
    x, y = motion.position
    t = np.linspace(0.002, 0.6, 120)
    bounce = 16 * np.abs(np.sin(9 * t)) * np.exp(-t / 0.16)
    motion.carried(motion.end + t, np.full_like(t, x), y - bounce)
