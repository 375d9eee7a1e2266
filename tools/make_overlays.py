"""Make the overlays that are shipped: ink, light leaks and textures, drawn by noise alone."""

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

FOLDER = Path(__file__).parent.parent / "src" / "epiphane" / "assets" / "overlays"
WIDTH, HEIGHT, RATE = 960, 540, 30
Field = np.ndarray


def fractal(seed: int, n_across: int, *, fineness: float = 0.55, n_octaves: int = 6) -> Field:
    """Return noise of several sizes, float32, shape (HEIGHT, WIDTH), about 0 to 1."""
    rng, total, strength = np.random.default_rng(seed), 0.0, 1.0
    field = np.zeros((HEIGHT, WIDTH), np.float32)
    for octave in range(n_octaves):
        across = n_across * 2**octave
        down = max(2, round(across * HEIGHT / WIDTH))
        lumps = rng.random((down + 1, across + 1)).astype(np.float32)
        field += strength * cv2.resize(lumps, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
        total, strength = total + strength, strength * fineness
    return field / total


def grid() -> tuple[Field, Field]:
    """Return x and y of all pixels, -1 to 1 across."""
    x = (np.arange(WIDTH) + 0.5) * 2 / WIDTH - 1
    y = ((np.arange(HEIGHT) + 0.5) * 2 / HEIGHT - 1) * HEIGHT / WIDTH
    across, down = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return across, down


def smooth(low: float, high: float, values: Field) -> Field:
    """Return 0 below one value, 1 above another, and a soft step between."""
    share = np.clip((values - low) / (high - low), 0, 1)
    return share * share * (3 - 2 * share)


def ink(seed: int) -> Iterator[Field]:
    """Yield white ink that bursts into black water, grows, and pales away."""
    rng = np.random.default_rng(seed)
    x, y = grid()
    drops = [(rng.uniform(-0.5, 0.5), rng.uniform(-0.25, 0.25), rng.uniform(0.6, 1.0)) for _ in range(4)]
    drops[0] = (rng.uniform(-0.1, 0.1), rng.uniform(-0.05, 0.05), 1.1)
    ragged, swirl = fractal(seed, 5), fractal(seed + 1, 3)
    grain, plume = fractal(seed + 2, 12), fractal(seed + 3, 7, fineness=0.7)
    angle = 6.28 * swirl
    bent_x, bent_y = x + 0.2 * np.cos(2 * angle), y + 0.2 * np.sin(2 * angle)
    n_frames, burst = 75, 9
    for frame in range(n_frames):
        gone = max(0, frame - burst + 1) / (n_frames - burst)
        amount = np.zeros_like(x)
        if frame >= burst:
            for number, (across, down, size) in enumerate(drops):
                begun = max(0.0, gone - 0.035 * number)
                reach = size * (0.16 + 0.75 * begun**0.42) if begun > 0 else 0.0
                away = np.hypot(bent_x - across, bent_y - down) + 0.5 * (ragged - 0.5) + 0.2 * (grain - 0.5)
                edge = 0.06 + 0.34 * begun
                amount = np.maximum(amount, smooth(0, edge, reach - away))
        veins = 0.12 + 0.88 * smooth(0.36, 0.70, plume + 0.12 * gone)
        yield np.repeat(
            (255 * amount * veins * (1 - smooth(0.62, 1.0, np.full_like(x, gone))))[..., None], 3, 2
        )


def leak(seed: int) -> Iterator[Field]:
    """Yield warm light that sweeps over the picture and is brightest in its middle."""
    rng = np.random.default_rng(seed)
    x, y = grid()
    haze = fractal(seed, 2, n_octaves=4)
    from_left = rng.random() < 0.5
    lights = [
        (rng.uniform(-0.7, 0.7), rng.uniform(-0.5, 0.5), rng.uniform(0.25, 0.7), rng.uniform(0, 0.25))
        for _ in range(6)
    ]
    warm = np.array(
        [[40, 110, 255], [70, 60, 235], [120, 190, 255], [30, 150, 255], [90, 40, 210], [180, 225, 255]]
    )
    n_frames = 45
    for frame in range(n_frames):
        time = frame / (n_frames - 1)
        picture = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        for (place, down, size, late), colour in zip(lights, warm, strict=True):
            at = (2.8 * (time - late) - 1.2) * (1 if from_left else -1) + place * 0.6
            away = np.hypot((x - at) * 0.75, (y - down) * 0.45) / size
            strength = np.exp(-away * away) * np.sin(np.pi * np.clip(time * 1.05 - late * 0.3, 0, 1)) ** 1.5
            picture += (strength * (0.3 + 0.5 * haze))[..., None] * colour
        yield picture


def paper(seed: int) -> Iterator[Field]:
    """Yield fibres on mid grey, another sheet every third frame."""
    for frame in range(24):
        sheet = frame // 3
        rough = fractal(seed + sheet, 40, fineness=0.8, n_octaves=4) - 0.5
        folds = fractal(seed + 50 + sheet // 4, 3, fineness=0.5) - 0.5
        fibres = cv2.blur(
            np.random.default_rng(seed + sheet).normal(0, 1, (HEIGHT, WIDTH)).astype(np.float32), (9, 1)
        )
        yield np.repeat((128 + 95 * rough + 90 * folds + 16 * fibres)[..., None], 3, 2)


def dust(seed: int) -> Iterator[Field]:
    """Yield specks and hairs on black, others on each other frame."""
    for frame in range(40):
        rng = np.random.default_rng((seed, frame // 2))
        picture = np.zeros((HEIGHT, WIDTH), np.uint8)
        for _ in range(int(rng.integers(6, 26))):
            at = (int(rng.integers(WIDTH)), int(rng.integers(HEIGHT)))
            cv2.circle(picture, at, int(rng.integers(1, 4)), int(rng.integers(90, 255)), -1, cv2.LINE_AA)
        for _ in range(int(rng.integers(0, 3))):
            start = rng.uniform((0, 0), (WIDTH, HEIGHT))
            bends = start + np.cumsum(rng.normal(0, 9, (12, 2)) + rng.normal(0, 5, 2), axis=0)
            cv2.polylines(
                picture, [bends.astype(np.int32)], False, int(rng.integers(80, 210)), 1, cv2.LINE_AA
            )
        yield np.repeat(cv2.GaussianBlur(picture, (0, 0), 0.8).astype(np.float32)[..., None], 3, 2)


def scratches(seed: int) -> Iterator[Field]:
    """Yield upright lines on black that wander, come and go."""
    rng = np.random.default_rng(seed)
    lines = [
        (rng.uniform(0, WIDTH), rng.uniform(-3, 3), rng.integers(0, 40), rng.integers(6, 24))
        for _ in range(16)
    ]
    for frame in range(45):
        chance = np.random.default_rng((seed, frame))
        picture = np.zeros((HEIGHT, WIDTH), np.uint8)
        for at, speed, first, length in lines:
            if first <= frame < first + length:
                x = round(at + speed * (frame - first) + chance.normal(0, 1))
                top = int(chance.integers(-HEIGHT, HEIGHT // 2))
                ends = (
                    (x, max(0, top)),
                    (x + int(chance.integers(-3, 4)), int(chance.integers(HEIGHT // 2, 2 * HEIGHT))),
                )
                cv2.line(picture, *ends, int(chance.integers(70, 230)), 1, cv2.LINE_AA)
        yield np.repeat(cv2.GaussianBlur(picture, (0, 0), 0.7).astype(np.float32)[..., None], 3, 2)


def burn(seed: int) -> Iterator[Field]:
    """Yield film that burns through from one side: glowing edges, white heat, then nothing."""
    x, y = grid()
    ragged, flicker = fractal(seed, 4), fractal(seed + 1, 9)
    place = x * 0.7 + 0.35 * y + 0.9 * (ragged - 0.5)
    n_frames = 42
    for frame in range(n_frames):
        time = frame / (n_frames - 1)
        front = -1.3 + 3.0 * time
        near = np.exp(-(((place - front) / 0.16) ** 2))
        heat = np.exp(-(((place - front + 0.22) / 0.34) ** 2)) * (0.7 + 0.6 * flicker)
        strength = np.sin(np.pi * time) ** 0.6
        blue = 150 * near**3 + 60 * heat**2
        green = 210 * near**1.6 + 140 * heat**1.4
        red = 255 * near**0.8 + 250 * heat
        yield strength * np.stack([blue, green, red], axis=2)


def halftone(seed: int) -> Iterator[Field]:
    """Yield a screen of dots on mid grey whose sizes drift."""
    x, y = (field * 34 for field in grid())
    turned = (0.866 * x - 0.5 * y, 0.5 * x + 0.866 * y)
    dots = (np.cos(2 * np.pi * turned[0] / 1.4) + np.cos(2 * np.pi * turned[1] / 1.4)) / 2
    one, other = fractal(seed, 3, n_octaves=3), fractal(seed + 1, 3, n_octaves=3)
    for frame in range(48):
        share = 0.5 - 0.5 * np.cos(2 * np.pi * frame / 48)
        size = (one + share * (other - one) - 0.5) * 2.4
        yield np.repeat((128 + 100 * np.tanh(4 * (dots + size)))[..., None], 3, 2)


def grain(seed: int) -> Iterator[Field]:
    """Yield coarse grain on mid grey, another on every frame, with clouds that drift beneath."""
    one, other = fractal(seed, 3, n_octaves=3), fractal(seed + 1, 3, n_octaves=3)
    for frame in range(30):
        share = 0.5 - 0.5 * np.cos(2 * np.pi * frame / 30)
        rng = np.random.default_rng((seed, frame))
        noise = cv2.resize(rng.normal(0, 1, (HEIGHT // 2, WIDTH // 2)).astype(np.float32), (WIDTH, HEIGHT))
        cloud = one + share * (other - one) - 0.5
        yield np.repeat((128 + 26 * noise + 60 * cloud)[..., None], 3, 2)


OVERLAYS: dict[str, tuple[Callable[[int], Iterator[Field]], int, int]] = {
    "ink 1": (ink, 21, 26),
    "ink 2": (ink, 34, 26),
    "ink 3": (ink, 58, 26),
    "leak 1": (leak, 3, 24),
    "leak 2": (leak, 8, 24),
    "leak 3": (leak, 14, 24),
    "paper": (paper, 2, 32),
    "dust": (dust, 5, 26),
    "scratches": (scratches, 9, 26),
    "film burn": (burn, 7, 24),
    "halftone": (halftone, 4, 28),
    "grain drift": (grain, 6, 36),
}
"""Each by its name: what draws it, from which seed, and how strongly it is packed."""


def write(path: Path, pictures: Iterator[Field], quality: int) -> None:
    """Write pictures as an H.264 file in which every second is looked up quickly."""
    with av.open(str(path), "w") as container:
        options = {"crf": str(quality), "preset": "veryslow", "g": "15", "threads": "1"}
        stream = container.add_stream("libx264", rate=RATE, options=options)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        context = stream.codec_context
        context.colorspace, context.color_range = 1, 1
        for number, picture in enumerate(pictures):
            levels = np.ascontiguousarray(np.clip(np.rint(picture), 0, 255).astype(np.uint8))
            frame = av.VideoFrame.from_ndarray(levels, format="bgr24")
            frame = frame.reformat(format="yuv420p", dst_colorspace=1, dst_color_range=1)
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def main() -> None:
    """Write all of them."""
    FOLDER.mkdir(exist_ok=True)
    for name, (draw, seed, quality) in OVERLAYS.items():
        write(FOLDER / f"{name}.mp4", draw(seed), quality)


if __name__ == "__main__":
    main()
