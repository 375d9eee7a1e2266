"""Rails: a marble runs down three tracks and strikes a brass stop."""

import numpy as np

from epiphane.demo.craft import metal, place, plank, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_RADIUS = 34
_TRACKS = (((130, 170), (1010, 262)), ((1130, 352), (250, 444)), ((140, 528), (1050, 598)))


def make() -> Scene:
    """Return the scene."""
    first = _run(0.0)
    run = _run(0.35 + on_frame(first.end + 0.35))
    impact = run.end
    x, y = run.position
    run.velocity = (-110.0, 0.0)
    run.carried(*_settle(impact, x, y))
    backdrop = wall(colour=(104, 116, 122), light=(470, 230), seed=11)
    for index, (start, end) in enumerate(_TRACKS):
        length = float(np.hypot(end[0] - start[0], end[1] - start[1]))
        angle = float(np.arctan2(end[1] - start[1], end[0] - start[0]))
        if angle > np.pi / 2:
            angle -= np.pi
        board = plank(round(length) + 70, 30, colour=(88, 146, 206), seed=20 + index)
        middle = ((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)
        place(backdrop, board, *middle, turn=angle, anchor=(0.5, 0.0), shadow=0.5)
    bell = metal(34, 150, colour=(70, 150, 205), radius=12)

    def paint(canvas: Float32Array, time: float) -> None:
        since = time - impact
        sway = 0.10 * np.exp(-since / 0.35) * np.sin(26 * since) if since > 0 else 0.0
        place(canvas, bell, x + _RADIUS + 18, 480, turn=sway, anchor=(0.5, 0.05), shadow=0.5)
        put_marble(canvas, run, time, "amber")
        ring(canvas, x + _RADIUS, y, since, (120, 190, 255))

    def camera(time: float) -> tuple[float, float, float]:
        seen_x, seen_y, _ = run.at(time - 0.12)
        return 640 + 0.35 * (seen_x - 640), 360 + 0.4 * (seen_y - 360), 1.16

    knocks = [Strike(t, 0, 0.25) for t in _LANDINGS]
    return Scene(
        "rails", 7.5, impact, backdrop, paint, [*knocks, Strike(impact, 784, 0.9)], camera, [(0.4, impact)]
    )


_LANDINGS: list[float] = []


def _run(wait: float) -> Motion:
    _LANDINGS.clear()
    motion = Motion(_TRACKS[0][0][0], _TRACKS[0][0][1] - _RADIUS, _RADIUS).rest(wait)
    motion.velocity = (520.0, 0.0)
    motion.roll((_TRACKS[0][1][0], _TRACKS[0][1][1] - _RADIUS))
    for start, end in _TRACKS[1:]:
        direction = np.sign(end[0] - start[0])
        x = motion.position[0]
        slope = (end[1] - start[1]) / (end[0] - start[0])
        landing = x + 66 * -direction
        motion.velocity = (-direction * 180.0, motion.velocity[1] * 0.2)
        motion.fall(until_y=start[1] + slope * (landing - start[0]) - _RADIUS)
        _LANDINGS.append(motion.end)
        motion.velocity = (direction * 520.0, 0.0)
        motion.roll((end[0], end[1] - _RADIUS))
    return motion


def _settle(start: float, x: float, y: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    t = np.linspace(0.002, 1.6, 300)
    back = 46 * (1 - np.exp(-t / 0.25)) * np.exp(-t / 1.1)
    return start + t, x - back, y - back * 0.077
