"""How marbles move: rolling on tracks, falling, bouncing; in pixels and seconds, y downwards."""

import numpy as np

from epiphane.types import FloatArray

GRAVITY = 1500.0
_STEP = 1 / 1200
# A ball that rolls without slipping keeps 5/7 of the acceleration of one that slides.
_ROLLING = 5 / 7


class Motion:
    """The path of one marble: position and spin at any time, standing still before and after.

    Legs are added one after the other; each starts where and when the last ended.
    """

    def __init__(self, x: float, y: float, radius: float, *, start: float = 0.0) -> None:
        self.radius = radius
        self._times = [start]
        self._states = [(x, y, 0.0)]
        self.velocity = (0.0, 0.0)

    @property
    def end(self) -> float:
        """Time at which the last leg ends, seconds."""
        return self._times[-1]

    @property
    def position(self) -> tuple[float, float]:
        """Where the last leg ends."""
        return self._states[-1][:2]

    def at(self, time: float) -> tuple[float, float, float]:
        """Return x, y and spin at a time."""
        states = np.array(self._states)
        return tuple(float(np.interp(time, self._times, states[:, i])) for i in range(3))  # type: ignore[return-value]

    def rest(self, seconds: float) -> "Motion":
        """Stay for a while."""
        self._add(self.end + seconds, *self._states[-1])
        self.velocity = (0.0, 0.0)
        return self

    def roll(self, *points: tuple[float, float], drag: float = 0.12) -> "Motion":
        """Roll from here through points; what the last leg left of speed along the way is kept."""
        corners = np.array([self.position, *points])
        legs = np.diff(corners, axis=0)
        lengths = np.hypot(*legs.T)
        total = lengths.sum()
        along = np.concatenate([[0], np.cumsum(lengths)])
        direction = legs[0] / lengths[0]
        speed = max(float(np.dot(self.velocity, direction)), 0.0)
        distance, time, spin = 0.0, self.end, self._states[-1][2]
        while distance < total:
            leg = min(int(np.searchsorted(along, distance, side="right")) - 1, len(legs) - 1)
            direction = legs[leg] / lengths[leg]
            speed += (_ROLLING * GRAVITY * direction[1] - drag * speed) * _STEP
            speed = max(speed, 6.0)
            step = min(speed * _STEP, total - distance)
            distance += step
            time += _STEP
            spin += step / self.radius * np.sign(direction[0] or 1)
            here = corners[leg] + direction * (distance - along[leg])
            self._add(time, float(here[0]), float(here[1]), spin)
        self.velocity = (float(direction[0] * speed), float(direction[1] * speed))
        return self

    def fall(self, *, until_y: float) -> "Motion":
        """Fly freely until the marble's middle comes down to a height."""
        x, y = self.position
        vx, vy = self.velocity
        seconds = (-vy + np.sqrt(vy**2 + 2 * GRAVITY * (until_y - y))) / GRAVITY
        spin, turning = self._states[-1][2], vx / self.radius * 0.7
        start = self.end
        for t in np.append(np.arange(_STEP, seconds, _STEP), seconds):
            self._add(start + t, x + vx * t, y + vy * t + GRAVITY * t * t / 2, spin + turning * t)
        self.velocity = (vx, vy + GRAVITY * seconds)
        return self

    def bounce(self, *, keep: float = 0.5, kick: float = 0.0) -> "Motion":
        """Turn round at the ground with a share of the speed; `kick` is added sideways."""
        vx, vy = self.velocity
        self.velocity = (vx + kick, -abs(vy) * keep)
        return self

    def carried(self, times: FloatArray, xs: FloatArray, ys: FloatArray) -> "Motion":
        """Be taken along a path given by times (seconds, after the end so far) and places."""
        spin = self._states[-1][2]
        for t, x, y in zip(times, xs, ys, strict=True):
            self._add(float(t), float(x), float(y), spin)
        step = max(float(times[-1] - times[-2]), 1e-6)
        self.velocity = (float(xs[-1] - xs[-2]) / step, float(ys[-1] - ys[-2]) / step)
        return self

    def _add(self, time: float, x: float, y: float, spin: float) -> None:
        self._times.append(time)
        self._states.append((x, y, spin))
