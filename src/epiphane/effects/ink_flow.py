"""Ink in water: an incompressible flow with dye in it, as overlays and mattes need it.

The flow lies on a grid and is kept free of sources by its Fourier transform (J. Stam, Stable Fluids, SIGGRAPH
1999); vorticity confinement keeps its curls alive (R. Fedkiw et al., Visual Simulation of Smoke, 2001). Dye
is carried along by looking up backwards where it came from.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from msgspec import Struct

from epiphane.noise import clouds
from epiphane.types import Float32Array, Size

_BLURRED, _KEPT_DYE, _KEPT_SPEED = 0.45, 0.996, 0.992
_SINKS, _MOST_DENSE = 0.0175, 3.0
_SPREAD, _GROWS, _REACH = 0.019, 0.006, 0.046
"""Of a squirt, in widths: how broad it begins, how much broader it gets a step, how far it pushes."""
DENSITY = 0.8
"""How much of what is behind a unit of dye covers: ``1 - exp(-0.8 d)`` (Beer and Lambert)."""


class Squirt(Struct, frozen=True):
    """Dye that is squirted in: where, shares of width and height, from which step on, in which direction."""

    x: float
    y: float
    way: float
    step: int
    length: int = 7
    power: float = 1.0


class InkFlow:
    """A flow of `size` pixels whose dye is finer by a factor, and sinks or rises; it goes on by steps."""

    def __init__(
        self, size: Size, *, fineness: int = 2, seed: int = 1, curl: float = 0.25, sinks: float = 1.0
    ) -> None:
        self._width, self._height = size
        self._fine = size[0] * fineness, size[1] * fineness
        self._curl, self._sinks = np.float32(curl), np.float32(sinks * _SINKS * size[0] / 480)
        self._seed, self._step = seed, 0
        shape = size[1], size[0]
        self._across, self._down = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        self.dye: Float32Array = np.zeros(self._fine[::-1], np.float32)
        """float32, shape (height, width) times the fineness: how much dye there is, 0 and more."""
        self._x, self._y = _grid(size)
        self._fine_x, self._fine_y = _grid(self._fine)
        self._ragged = clouds((seed, 9), size, 40)
        waves = np.fft.rfftfreq(size[0]) * 2 * np.pi, np.fft.fftfreq(size[1]) * 2 * np.pi
        self._waves_x, self._waves_y = np.meshgrid(*waves)

    def advance(self, squirts: Sequence[Squirt]) -> None:
        """Go on a step: squirt in what is due, sink, curl, and carry the dye along."""
        for number, squirt in enumerate(squirts):
            age = self._step - squirt.step
            if 0 <= age < squirt.length:
                self._squirt(squirt, age, number)
        small = cv2.resize(self.dye, (self._width, self._height), interpolation=cv2.INTER_AREA)
        self._down += self._sinks * np.minimum(small, _MOST_DENSE)
        self._twist()
        self._free_of_sources()
        across, down = self._across, self._down
        self._across, self._down = (
            np.asarray(
                cv2.remap(
                    one, self._x - across, self._y - down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP
                ),
                np.float32,
            )
            * np.float32(_KEPT_SPEED)
            for one in (across, down)
        )
        scale = np.float32(self._fine[0] / self._width)
        step_x, step_y = (cv2.resize(one, self._fine) * scale for one in (self._across, self._down))
        carried = cv2.remap(
            self.dye,
            self._fine_x - step_x,
            self._fine_y - step_y,
            cv2.INTER_CUBIC,
            borderMode=cv2.BORDER_CONSTANT,
        )
        soft = cv2.GaussianBlur(np.maximum(carried, 0) * np.float32(_KEPT_DYE), (0, 0), _BLURRED)
        self.dye = np.asarray(soft, np.float32)
        self._step += 1

    def _squirt(self, squirt: Squirt, age: int, number: int) -> None:
        width = self._width
        x, y = squirt.x * width, squirt.y * self._height
        away = np.hypot(self._x - x, self._y - y)
        broad = (_SPREAD + _GROWS * age) * width
        spread = np.exp(-((away / broad) ** 2)) * np.clip(2.4 * self._ragged - 0.5, 0, 2)
        turn = squirt.way + np.random.default_rng((self._seed, number, age)).normal(0, 0.8)
        power = squirt.power * 11 * width / 480 * (1 - age / squirt.length)
        out = np.exp(-((away / (_REACH * width)) ** 2)) * power * 0.8 / np.maximum(away, 4)
        self._across += (spread * power * np.cos(turn) + out * (self._x - x)).astype(np.float32)
        self._down += (spread * power * np.sin(turn) + out * (self._y - y)).astype(np.float32)
        self.dye += cv2.resize(spread.astype(np.float32), self._fine) * np.float32(0.8 * squirt.power)

    def _twist(self) -> None:
        """Push towards where the flow curls most (vorticity confinement)."""
        curl = (
            cv2.Sobel(self._down, cv2.CV_32F, 1, 0, ksize=3)
            - cv2.Sobel(self._across, cv2.CV_32F, 0, 1, ksize=3)
        ) / 8
        slope_x, slope_y = (
            cv2.Sobel(np.abs(curl), cv2.CV_32F, *order, ksize=3) / 8 for order in ((1, 0), (0, 1))
        )
        length = np.sqrt(slope_x * slope_x + slope_y * slope_y) + np.float32(1e-4)
        self._across += self._curl * slope_y / length * curl
        self._down -= self._curl * slope_x / length * curl

    def _free_of_sources(self) -> None:
        """Take the part with sources away: the gradient of a pressure."""
        across, down = np.fft.rfft2(self._across), np.fft.rfft2(self._down)
        squared = np.maximum(self._waves_x**2 + self._waves_y**2, 1e-9)
        pressure = (self._waves_x * across + self._waves_y * down) / squared
        shape = self._height, self._width
        self._across, self._down = (
            np.fft.irfft2(one, s=shape).astype(np.float32)
            for one in (across - self._waves_x * pressure, down - self._waves_y * pressure)
        )


def _grid(size: Size) -> tuple[Float32Array, Float32Array]:
    y, x = np.mgrid[0 : size[1], 0 : size[0]].astype(np.float32)
    return x, y
