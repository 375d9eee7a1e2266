"""Bucket lift: buckets carry marbles up, one tips out over a drum."""

import numpy as np

from epiphane.demo.craft import metal, place, plank, wall
from epiphane.demo.motion import Motion
from epiphane.demo.stage import Scene, Strike, on_frame, put_marble, ring
from epiphane.types import Float32Array

_RADIUS = 30
_X, _TOP, _BOTTOM = 430, 190, 640
_SPEED = 150.0
_SPACING = 200.0
_DRUM = (800, 588)
_GLASS = ("moss", "amber", "milk", "cherry", "sea")


def make() -> Scene:
    """Return the scene."""
    trial = _ride(0.0, 0)
    delay = on_frame(trial.end)
    riders = [_ride(delay, k) for k in range(5)]
    impact = riders[0].end
    for rider in riders:
        rider.bounce(keep=0.58, kick=40).fall(until_y=900)
    landings = [rider_end for rider_end in (_ride(delay, k).end for k in range(5)) if rider_end < 6.4]
    backdrop = wall(colour=(100, 120, 120), light=(520, 260), seed=111)
    for x in (_X - 84, _X + 84):
        post = plank(600, 24, colour=(66, 112, 166), seed=round(x))
        place(backdrop, post, x, 390, turn=np.pi / 2, shadow=0.45)
    for rung in range(6):
        place(backdrop, plank(170, 14, colour=(58, 98, 146), seed=rung), _X, 150 + 100 * rung, shadow=0.4)
    bucket = _bucket()
    wheel = metal(112, 112, colour=(78, 140, 190), radius=55)
    skin = metal(250, 34, colour=(178, 196, 214), radius=12)
    body = plank(230, 92, colour=(70, 84, 190), seed=117, radius=14)

    def paint(canvas: Float32Array, time: float) -> None:
        place(canvas, wheel, _X, _TOP - 60, turn=time * _SPEED / 56, shadow=0.45)
        since = min((time - t for t in landings if time >= t), default=9.0)
        dent = 9 * np.exp(-since / 0.10) * np.cos(38 * since)
        place(canvas, body, _DRUM[0], _DRUM[1] + 52, shadow=0.5)
        for k, rider in enumerate(riders):
            put_marble(canvas, rider, time, _GLASS[k])
        for k in range(-1, 7):
            y = _BOTTOM - _SPEED * (time - delay) + _SPACING * k
            tilt = float(np.clip((_TOP - y) / 60, 0, 1)) * 1.9
            if y > _TOP - 120:
                place(canvas, bucket, _X + 34 * min(tilt, 1), y + 14, turn=tilt, shadow=0.4)
        place(canvas, skin, _DRUM[0], _DRUM[1] + dent, shadow=0.3)
        ring(canvas, _DRUM[0], _DRUM[1] - 14, time - impact, (150, 220, 200))

    def camera(time: float) -> tuple[float, float, float]:
        share = np.clip((time - impact + 1.4) / 1.6, 0, 1)
        return 560 + 120 * share, 350 + 60 * share**2, 1.10 + 0.10 * share

    strikes = [Strike(t, 98, 0.9 if abs(t - impact) < 0.01 else 0.55) for t in landings]
    return Scene("bucket", 6.5, impact, backdrop, paint, strikes, camera)


def _ride(delay: float, k: int) -> Motion:
    """Go up in the k-th bucket, tip over at the top, fly to the drum."""
    start_y = _BOTTOM + _SPACING * k - _RADIUS + 12
    top_y = _TOP - _RADIUS + 12
    motion = Motion(_X, start_y, _RADIUS)
    seconds = delay + (start_y - top_y) / _SPEED
    t = np.linspace(delay + 0.001, seconds, 200)
    motion.carried(t, np.full_like(t, _X), start_y - _SPEED * (t - delay))
    tip = np.linspace(0.005, 0.42, 60)
    share = tip / 0.42
    motion.carried(seconds + tip, _X + 96 * share**1.7, top_y - 34 * np.sin(share * np.pi * 0.6))
    up = -170.0
    drop = _DRUM[1] - 17 - _RADIUS - motion.position[1]
    flight = (-up + np.sqrt(up**2 + 2 * 1500 * drop)) / 1500
    motion.velocity = ((_DRUM[0] - motion.position[0]) / flight, up)
    return motion.fall(until_y=_DRUM[1] - 17 - _RADIUS)


def _bucket() -> Float32Array:
    sprite = plank(96, 62, colour=(72, 96, 196), seed=120, radius=10)
    height, width = sprite.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    inside = width / 2 - 10 * y / height - np.abs(x - width / 2)
    sprite[..., 3] *= np.clip(inside, 0, 1)
    sprite[:7, :, :3] = np.array((110, 190, 232), np.float32)
    return sprite
