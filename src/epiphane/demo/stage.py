"""What every scene is made with: its parts, its camera, its sound."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np

from epiphane.demo.craft import HEIGHT, WIDTH, Colour, glow, marble, place
from epiphane.demo.motion import Motion
from epiphane.types import Float32Array, FloatArray, Picture

FPS = 30
SOUND_RATE = 48_000
_SUBFRAMES = 6
_SHUTTER = 0.55

Camera = Callable[[float], tuple[float, float, float]]

GLASS: dict[str, tuple[Colour, Colour]] = {
    "amber": ((46, 150, 235), (40, 70, 200)),
    "sea": ((170, 160, 60), (230, 215, 120)),
    "cherry": ((60, 50, 205), (120, 150, 250)),
    "moss": ((70, 165, 110), (60, 220, 205)),
    "plum": ((150, 60, 130), (190, 150, 240)),
    "milk": ((205, 205, 200), (190, 120, 70)),
}


@dataclass
class Strike:
    """A sound on landing: when (seconds), at which pitch (Hz, 0 is a knock of wood), how loud."""

    time: float
    pitch: float
    level: float


@dataclass
class Scene:
    """One clip.

    `paint` draws everything that moves onto a copy of `backdrop`, at a time of the clip; `impact` is
    the instant of the strike that a user would cut to, and falls on the first instant of a frame.
    """

    name: str
    seconds: float
    impact: float
    backdrop: Float32Array
    paint: Callable[[Float32Array, float], None]
    strikes: list[Strike]
    camera: Camera = lambda time: (WIDTH / 2, HEIGHT / 2, 1.0)
    rolling: list[tuple[float, float]] = field(default_factory=list)

    @property
    def n_frames(self) -> int:
        """How many frames the clip has."""
        return round(self.seconds * FPS)

    @property
    def impact_frame(self) -> int:
        """The frame on screen at the impact."""
        return round(self.impact * FPS)


def on_frame(time: float) -> float:
    """Return how long to wait so that something at `time` happens at the start of a frame."""
    return float(np.ceil(time * FPS - 1e-9) / FPS - time)


def put_marble(canvas: Float32Array, motion: Motion, time: float, glass: str) -> None:
    """Paint a marble with its shadow and the light that falls through it."""
    x, y, spin = motion.at(time)
    radius = motion.radius
    tint = GLASS[glass][0]
    ball = marble(radius, colours=GLASS[glass], spin=spin)
    place(canvas, ball, x, y, shadow=0.42)
    glow(canvas, x + 18, y + 30, radius * 0.42, tint, 0.28)


def ring(canvas: Float32Array, x: float, y: float, since: float, colour: Colour) -> None:
    """Paint the burst of an impact: a flare, and dust that flies apart; `since` is in seconds."""
    if not 0 <= since < 0.9:
        return
    glow(canvas, x, y, 60 + 240 * since, colour, 0.85 * np.exp(-since / 0.09))
    rng = np.random.default_rng(round(x) * 7 + round(y))
    for angle, speed in zip(rng.uniform(-np.pi, 0, 26), rng.uniform(60, 420, 26), strict=True):
        reach = speed * (1 - np.exp(-since / 0.22)) * 0.9
        px, py = x + np.cos(angle) * reach, y + np.sin(angle) * reach + 260 * since**2
        glow(canvas, px, py, 2.6, (170, 215, 255), 1.3 * np.exp(-since / 0.25))


def frames(scene: Scene) -> Iterator[Picture]:
    """Yield the pictures of a scene, each the mean of some instants while the shutter is open."""
    rng = np.random.default_rng(len(scene.name))
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    distance = np.hypot((x - WIDTH / 2) / WIDTH, (y - HEIGHT / 2) / HEIGHT)
    vignette = (1 - 0.75 * np.clip(distance - 0.28, 0, 1) ** 1.4)[..., None]
    grain = rng.normal(0, 1.1, (4, HEIGHT, WIDTH, 1)).astype(np.float32)
    for number in range(scene.n_frames):
        total = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        for sub in range(_SUBFRAMES):
            time = (number + _SHUTTER * sub / _SUBFRAMES) / FPS
            canvas = scene.backdrop.copy()
            scene.paint(canvas, time)
            total += _seen(canvas, *scene.camera(time))
        picture = total / _SUBFRAMES * vignette + grain[number % 4]
        yield np.clip(picture, 0, 255).astype(np.uint8)


def soundtrack(scene: Scene) -> Float32Array:
    """Return the sound of a scene, float32, shape (n_samples, 2): its strikes and the rolling."""
    n_samples = round(scene.seconds * SOUND_RATE)
    track = np.zeros(n_samples)
    rng = np.random.default_rng(3)
    for strike in scene.strikes:
        start = round(strike.time * SOUND_RATE)
        tone = _tone(strike.pitch, rng)[: max(0, n_samples - start)]
        track[start : start + len(tone)] += strike.level * tone
    hum = np.convolve(rng.normal(size=n_samples), np.hanning(90) / 45, "same")
    for begins, ends in scene.rolling:
        t = np.arange(n_samples) / SOUND_RATE
        track += 0.02 * hum * np.clip((t - begins) / 0.2, 0, 1) * np.clip((ends - t) / 0.05, 0, 1)
    stereo = np.stack([track, np.roll(track, 12)], axis=1)
    return np.asarray(np.tanh(stereo), np.float32)


def _tone(pitch: float, rng: np.random.Generator) -> FloatArray:
    t = np.arange(round(1.6 * SOUND_RATE)) / SOUND_RATE
    knock = rng.normal(size=len(t)) * np.exp(-t / 0.004) * 0.5 + np.sin(2 * np.pi * 190 * t) * np.exp(
        -t / 0.03
    )
    if pitch <= 0:
        return np.asarray(knock)
    bar = sum(
        level * np.sin(2 * np.pi * pitch * ratio * t) * np.exp(-t / decay)
        for ratio, level, decay in ((1, 1.0, 0.5), (2.76, 0.45, 0.22), (5.4, 0.2, 0.09))
    )
    return np.asarray(0.6 * bar + 0.35 * knock)


def _seen(canvas: Float32Array, x: float, y: float, zoom: float) -> Float32Array:
    """Return what a camera sees that looks at a point, enlarged by `zoom` (1 or more)."""
    if zoom == 1.0 and (x, y) == (WIDTH / 2, HEIGHT / 2):
        return canvas
    x = float(np.clip(x, WIDTH / 2 / zoom, WIDTH - WIDTH / 2 / zoom))
    y = float(np.clip(y, HEIGHT / 2 / zoom, HEIGHT - HEIGHT / 2 / zoom))
    matrix = np.array([[zoom, 0, WIDTH / 2 - zoom * x], [0, zoom, HEIGHT / 2 - zoom * y]])
    moved = cv2.warpAffine(canvas, matrix, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
    return np.asarray(moved, np.float32)
