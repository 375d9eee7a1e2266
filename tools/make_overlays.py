"""Make the overlays that are shipped: ink, smoke, leaks, burns, sparks and textures, drawn by code alone.

Colours of those with alpha are straight; those without are light on black, or lie on mid grey, which their
blend mode leaves as it is. `overlays.json` beside them says which blend each is made for, and its moment.
"""

import json
import sys
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import av
import cv2
import numpy as np

from epiphane.document.timeline import BlendMode
from epiphane.effects.ink_flow import DENSITY, InkFlow, Squirt
from epiphane.effects.pixels import level_of
from epiphane.noise import clouds

FOLDER = Path(__file__).parent.parent / "src" / "epiphane" / "assets" / "overlays"
WIDTH, HEIGHT, RATE = 960, 540, 30
GRID = WIDTH // 2, HEIGHT // 2
Field = np.ndarray
"""float32, shape (HEIGHT, WIDTH) or (HEIGHT, WIDTH, n_channels), 0 to 1."""


def grid() -> tuple[Field, Field]:
    """Return x and y of all pixels, -1 to 1 across."""
    x = (np.arange(WIDTH) + 0.5) * 2 / WIDTH - 1
    y = ((np.arange(HEIGHT) + 0.5) * 2 / HEIGHT - 1) * HEIGHT / WIDTH
    across, down = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return across, down


def smooth(low: Field | float, high: Field | float, values: Field | float) -> Field:
    """Return 0 below one value, 1 above another, and a soft step between."""
    share = np.clip((np.asarray(values) - low) / (np.asarray(high) - low), 0, 1)
    return np.asarray(share * share * (3 - 2 * share))


def shown(light: Field) -> Field:
    """Return the levels of light, 0 to 1, rolled off towards white."""
    over = np.maximum(light - 0.8, 0) / 0.2
    return level_of(np.where(light <= 0.8, light, 0.8 + 0.2 * over / (1 + over)))


def with_alpha(colours: Field, alpha: Field) -> Field:
    """Return straight colours with alpha."""
    return np.dstack([colours, alpha])


def ink(seed: int, tint: tuple[float, float, float], squirts: int) -> Iterator[Field]:
    """Yield ink that is squirted into water, curls, and pales away."""
    chances = np.random.default_rng(seed).random((squirts, 4))
    drops = [
        Squirt(
            0.15 + 0.7 * x, 0.2 + 0.55 * y, 2 * np.pi * way, 2 * BURST + int(14 * late), length=12, power=1.5
        )
        for x, y, way, late in chances
    ]
    drops[0] = Squirt(0.5, 0.45, -np.pi / 2, 2 * BURST, length=15, power=2.0)
    flow, n_frames = InkFlow(GRID, seed=seed), 75
    for frame in range(n_frames):
        flow.advance(drops)
        flow.advance(drops)
        gone = smooth(0.72, 1.0, frame / (n_frames - 1))
        cover = (1 - np.exp(-DENSITY * flow.dye)) * (1 - gone)
        yield with_alpha(lit_from_above(flow.dye)[..., None] * np.array(tint, np.float32), cover)


def lit_from_above(dye: Field) -> Field:
    """Return how much light falls on dye, .5 to 1, from a side."""
    soft = cv2.GaussianBlur(dye, (0, 0), WIDTH / 110)
    slope = 0.5 * cv2.Sobel(soft, cv2.CV_32F, 1, 0) + 0.8 * cv2.Sobel(soft, cv2.CV_32F, 0, 1)
    return np.clip(0.8 - 0.9 * slope / (0.6 + soft), 0.5, 1)


def smoke(seed: int) -> Iterator[Field]:
    """Yield smoke that comes up from below in puffs and spreads."""
    chances = np.random.default_rng(seed).random((44, 3))
    puffs = [
        Squirt(0.05 + 0.9 * x, 0.99, -np.pi / 2 + (way - 0.5), 2 * BURST + 3 * number, length=20, power=0.4)
        for number, (x, way, _) in enumerate(chances)
    ]
    flow, n_frames = InkFlow(GRID, seed=seed, sinks=-1.0), 90
    for frame in range(n_frames):
        flow.advance(puffs)
        flow.advance(puffs)
        gone = smooth(0.75, 1.0, frame / (n_frames - 1))
        cover = 0.8 * (1 - np.exp(-0.5 * flow.dye)) * (1 - gone)
        grey = np.array([0.86, 0.84, 0.82], np.float32)
        yield with_alpha(lit_from_above(flow.dye)[..., None] * grey, cover)


def leak(seed: int, tint: tuple[float, float, float]) -> Iterator[Field]:
    """Yield light that comes in at a side and goes: coloured where little came in, white where much did."""
    one, other = clouds((seed, 1), (3 * WIDTH, HEIGHT), 4), clouds((seed, 2), (3 * WIDTH, HEIGHT), 3)
    away = np.linspace(0, 1, WIDTH, dtype=np.float32)[None]
    away = away if seed % 2 else away[:, ::-1]
    layers = np.maximum(np.array(tint, np.float32), 0.16)
    n_frames = 48
    for frame in range(n_frames):
        time = frame / (n_frames - 1)
        strength = float(np.sin(np.pi * time**0.75)) ** 1.3
        gone = int(0.55 * time * WIDTH)
        cloud = 4 * one[:, gone : gone + WIDTH] * other[:, WIDTH - gone // 2 : 2 * WIDTH - gone // 2]
        edge = np.clip(1 - away / (0.75 * (0.2 + 0.8 * strength) * (0.6 + 0.8 * cloud)), 0, 1)
        density = np.clip(edge**1.6 * (0.4 + 1.2 * cloud), 0, 1) * strength
        light = density[..., None] ** (1 / layers) * (1.05 * layers**0.4)
        yield shown(cv2.GaussianBlur(light.astype(np.float32), (0, 0), 9))


def burning_order(seed: int, holes: int) -> Field:
    """Return when each place burns, 0 to 1: from a few places on, raggedly."""
    x, y = grid()
    spots = np.random.default_rng((seed, 3)).uniform(-0.8, 0.8, (holes, 2)) * (1, HEIGHT / WIDTH)
    away = np.min([np.hypot(x - across, y - down) for across, down in spots], axis=0)
    places = away + 0.5 * clouds((seed, 5), (WIDTH, HEIGHT), 5, 5)
    return np.asarray((places - places.min()) / np.ptp(places))


def film_burn(seed: int) -> Iterator[Field]:
    """Yield heat that runs over film from one side: a glowing front, then white light, then nothing."""
    x, y = grid()
    ragged, flicker = clouds((seed, 1), (WIDTH, HEIGHT), 4, 5), clouds((seed, 2), (WIDTH, HEIGHT), 9, 4)
    place = 0.7 * x + 0.35 * y + 0.9 * (ragged - 0.5)
    n_frames = 42
    for frame in range(n_frames):
        time = frame / (n_frames - 1)
        front = -1.3 + 3.0 * time
        near = np.exp(-(((place - front) / 0.12) ** 2))
        heat = np.exp(-(((place - front + 0.24) / 0.3) ** 2)) * (0.5 + 0.9 * flicker)
        strength = float(np.sin(np.pi * time)) ** 0.6
        light = np.stack([0.5 * heat**2.6, 0.85 * near**3 + 0.8 * heat**1.7, 1.3 * near + 1.2 * heat], axis=2)
        yield shown(0.7 * strength * light)


def burn_holes(seed: int) -> Iterator[Field]:
    """Yield holes that burn into the film: charred, with a glowing rim, and white light behind."""
    order, grain = burning_order(seed, 3), clouds((seed, 8), (WIDTH, HEIGHT), 60, 2)
    n_frames = 48
    for frame in range(n_frames):
        front = 1.15 * smooth(0, 1, max(0, frame - BURST) / (n_frames - BURST - 8)) ** 1.3
        open_ = smooth(front + 0.004, front - 0.004, order) * (frame >= BURST)
        rim = np.exp(-(((order - front) / 0.014) ** 2)) * (frame >= BURST)
        char = smooth(front + 0.2, front, order) * (frame >= BURST)
        brown = (0.18 - 0.16 * char + 0.05 * grain)[..., None] * np.array([0.25, 0.55, 1.0], np.float32)
        glow = rim[..., None] * np.array([0.1, 0.5, 1.0], np.float32)
        white = np.array([0.86, 0.96, 1.0], np.float32)
        colours = open_[..., None] * white + (1 - open_[..., None]) * (brown + glow)
        gone = smooth(n_frames - 9, n_frames - 1, frame)
        yield with_alpha(colours, np.maximum(open_, np.maximum(char**0.8, rim)) * (1 - gone))


class Drawn(NamedTuple):
    """A streak of light: from where to where, in pixels, how wide, how bright, how cool: 1 is coloured."""

    head: Field
    tail: Field
    wide: float
    bright: float
    cool: float


def streaks(drawn: list[Drawn], tint: tuple[float, float, float], glow: float) -> Field:
    """Return the light of streaks that taper from their heads to nothing, with a glow about them."""
    white, coloured = np.zeros((HEIGHT, WIDTH), np.float32), np.zeros((HEIGHT, WIDTH), np.float32)
    for one in drawn:
        way = one.head - one.tail
        length = max(float(np.hypot(*way)), 1e-3)
        if length < one.wide:
            way, length = np.array([0.0, one.wide]), one.wide
        aside = np.array([-way[1], way[0]]) / length * one.wide / 2
        shape = np.array(
            [one.head + aside, one.head + way / length * one.wide / 2, one.head - aside, one.head - way]
        )
        low = np.maximum(np.floor(shape.min(axis=0)).astype(int) - 2, 0)
        high = np.minimum(np.ceil(shape.max(axis=0)).astype(int) + 3, (WIDTH, HEIGHT))
        if (high - low <= 1).any():
            continue
        part = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
        cv2.fillConvexPoly(part, np.rint((shape - low) * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
        box = np.s_[low[1] : high[1], low[0] : high[0]]
        white[box] += part * np.float32(one.bright * (1 - one.cool) / 255)
        coloured[box] += part * np.float32(one.bright / 255)
    halo = cv2.GaussianBlur(coloured, (0, 0), 7) + 0.5 * cv2.GaussianBlur(coloured, (0, 0), 22)
    colour = np.array(tint, np.float32)
    return white[..., None] * 2 + coloured[..., None] * colour * 1.6 + glow * halo[..., None] * colour


def sparks(seed: int) -> Iterator[Field]:
    """Yield sparks that fly up, glow, cool and fall: few are large and fast, most fine and slow."""
    rng, number = np.random.default_rng(seed), 260
    start = np.stack([WIDTH * (0.5 + 0.05 * rng.normal(size=number)), np.full(number, HEIGHT * 0.98)], axis=1)
    angle = -np.pi / 2 + rng.normal(0, 0.42, number)
    speed = np.exp(rng.normal(6.55, 0.5, number))
    course = speed[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    late = np.where(rng.random(number) < 0.6, 0.0, 0.5 * rng.random(number))
    life = np.clip(np.exp(rng.normal(-0.1, 0.45, number)), 0.25, 1.9)
    wide = np.clip(np.exp(rng.normal(0.35, 0.5, number)), 0.8, 4.5)

    def at(time: Field) -> Field:
        gone = (1 - np.exp(-1.8 * time)) / 1.8
        fallen = np.stack([np.zeros(number), 260 * time * time], axis=1)
        return np.asarray(start + course * gone[:, None] + fallen)

    for frame in range(60):
        since = (frame - BURST) / RATE - late
        left = np.clip(1 - since / life, 0, 1) * (since >= 0)
        heads, tails = at(np.maximum(since, 0)), at(np.maximum(since - 0.5 / RATE, 0))
        drawn = [
            Drawn(heads[k], tails[k], float(wide[k]), float(left[k]) ** 1.2, min(1.0, 2 - 2 * float(left[k])))
            for k in np.flatnonzero(left > 0)
        ]
        yield shown(streaks(drawn, (0.1, 0.42, 1.0), 0.9))


def embers(seed: int) -> Iterator[Field]:
    """Yield glowing flakes that rise, sway and flicker, again and again."""
    rng, number, n_frames = np.random.default_rng(seed), 120, 90
    place, rise = rng.random((number, 2)), rng.integers(1, 3, number)
    sway, phase = rng.uniform(0.008, 0.04, number), 2 * np.pi * rng.random((number, 2))
    wide, rates = np.clip(np.exp(rng.normal(1.15, 0.55, number)), 1.4, 8.0), rng.integers(3, 11, number)

    def at(time: float) -> Field:
        x = place[:, 0] + sway * np.sin(2 * np.pi * 2 * time + phase[:, 0])
        y = 1.1 - (place[:, 1] + rise * time) % 1.2
        return np.stack([x * WIDTH, y * HEIGHT], axis=1)

    for frame in range(n_frames):
        time = frame / n_frames * 1.2
        heads, tails = at(time), at(time - 0.7 / n_frames)
        light = 0.45 + 0.55 * np.sin(2 * np.pi * rates * frame / n_frames + phase[:, 1]) ** 2
        drawn = [
            Drawn(heads[k], tails[k], float(wide[k]), float(light[k]), 0.75)
            for k in range(number)
            if np.hypot(*(heads[k] - tails[k])) < HEIGHT / 4
        ]
        yield shown(streaks(drawn, (0.06, 0.36, 1.0), 1.1))


def bokeh(seed: int) -> Iterator[Field]:
    """Yield discs of lamps far out of focus that drift and breathe, again and again."""
    rng, n_frames, number = np.random.default_rng(seed), 120, 46
    x, y = grid()
    places = rng.uniform((-1.1, -0.62), (1.1, 0.62), (number, 2))
    sizes, phases = rng.uniform(0.03, 0.105, number), 2 * np.pi * rng.random((number, 3))
    hues = rng.random(number)
    colours = np.stack([0.15 + 0.85 * (hues > 0.72), 0.45 + 0.4 * hues, 1.0 - 0.75 * (hues > 0.72)], axis=1)
    for frame in range(n_frames):
        turn = 2 * np.pi * frame / n_frames
        light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        for place, size, phase, colour in zip(places, sizes, phases, colours, strict=True):
            at = place + 0.05 * np.array([np.sin(turn + phase[0]), np.cos(turn + phase[1])])
            away = np.hypot(x - at[0], y - at[1]) / size
            disc = smooth(1.0, 0.93, away) * (0.55 + 0.45 * np.minimum(away, 1) ** 6)
            light += (disc * (0.16 + 0.14 * np.sin(2 * turn + phase[2])))[..., None] * colour.astype(
                np.float32
            )
        yield shown(light)


def leaves(seed: int) -> Iterator[Field]:
    """Yield the light that falls through leaves that sway, on mid grey, again and again."""
    n_frames, number = 120, 1100
    rng = np.random.default_rng(seed)
    canopy = clouds((seed, 1), (WIDTH, HEIGHT), 60, 3)
    # Each gap in a roof of leaves throws a round picture of the sun; gaps lie where the roof is thin.
    places = rng.random((40 * number, 2)) * (1.1 * WIDTH, 1.1 * HEIGHT) - 0.05 * np.array([WIDTH, HEIGHT])
    inside = np.clip(places.astype(int), 0, (WIDTH - 1, HEIGHT - 1))
    thin = smooth(0.48, 0.66, canopy[inside[:, 1], inside[:, 0]])
    places = places[rng.random(len(places)) < thin][:number]
    sizes = WIDTH * (0.008 + 0.012 * rng.random(len(places)))
    bright, phases = 0.25 + 0.75 * rng.random(len(places)), 2 * np.pi * rng.random((len(places), 3))
    warm = np.array([0.22, 0.44, 0.52], np.float32)
    for frame in range(n_frames):
        turn = 2 * np.pi * frame / n_frames
        light = np.zeros((HEIGHT, WIDTH), np.float32)
        breeze = WIDTH * 0.012 * np.array([np.sin(turn), 0.5 * np.cos(2 * turn)])
        for place, size, level, (one, two, three) in zip(places, sizes, bright, phases, strict=True):
            at = place + breeze + WIDTH * 0.005 * np.array([np.sin(turn + one), np.cos(2 * turn + two)])
            _lay_disc(light, at, size, level * (0.65 + 0.35 * np.sin(2 * turn + three)))
        soft = np.asarray(cv2.GaussianBlur(light, (0, 0), WIDTH * 0.009), np.float32)
        spots = 1 - np.exp(-0.7 * soft)
        yield 0.36 + 0.9 * spots[..., None] * (warm + 0.1)


def _lay_disc(light: Field, at: Field, radius: float, level: float) -> None:
    """Add a disc, as of a lens or a pinhole, to a plane of light."""
    reach = int(radius) + 2
    left, top = (int(side) - reach for side in at)
    x = np.arange(max(left, 0), min(left + 2 * reach, light.shape[1]))
    y = np.arange(max(top, 0), min(top + 2 * reach, light.shape[0]))
    if len(x) and len(y):
        away = np.hypot(x[None] - at[0], y[:, None] - at[1])
        light[y[0] : y[-1] + 1, x[0] : x[-1] + 1] += level * np.clip(radius - away, 0, 1).astype(np.float32)


def falling(
    seed: int, *, number: int, speed: int, long: float, wide: float, sway: float, bright: float
) -> Iterator[Field]:
    """Yield rain or snow, near and far, that falls again and again: what is near is large and quick."""
    rng, n_frames = np.random.default_rng(seed), 60
    place, depth = rng.random((number, 2)), rng.random(number) ** 2
    speeds = np.maximum(1, np.rint(speed * (0.45 + 0.55 * depth)))
    phases = 2 * np.pi * rng.random(number)

    def at(time: float) -> Field:
        x = place[:, 0] + sway * np.sin(2 * np.pi * 2 * time + phases)
        y = (place[:, 1] + speeds * time) % 1
        return np.stack([x * WIDTH * 1.1 - 0.05 * WIDTH, y * HEIGHT * 1.24 - 0.12 * HEIGHT], axis=1)

    for frame in range(n_frames):
        heads = at(frame / n_frames)
        ways = np.stack(
            [np.zeros(number), speeds * HEIGHT * 1.24 / n_frames * long * (0.4 + 0.6 * depth)], axis=1
        )
        drawn = [
            Drawn(heads[k], heads[k] - ways[k], wide * (0.35 + depth[k]), 0.05 + bright * depth[k], 0.6)
            for k in range(number)
        ]
        light = streaks(drawn, (1.0, 0.93, 0.86), 0.05)
        yield shown(cv2.GaussianBlur(light, (0, 0), 0.7))


def gleam(seed: int) -> Iterator[Field]:
    """Yield a lamp that passes behind the lens: a flat streak across, its ghosts, and a flare of it."""
    x, y = grid()
    n_frames = 40
    for frame in range(n_frames):
        time = frame / (n_frames - 1)
        at = np.array([-1.3 + 2.6 * time, -0.08 + 0.05 * np.sin(3 * time + seed)])
        power = np.float32(np.sin(np.pi * time) ** 2)
        core = np.exp(-(((x - at[0]) ** 2 + (y - at[1]) ** 2) / 0.004))
        line = np.exp(-(((y - at[1]) / 0.006) ** 2) - np.abs(x - at[0]) / 0.55)
        broad = np.exp(-(((y - at[1]) / 0.03) ** 2) - np.abs(x - at[0]) / 0.35)
        blue, warm = np.array([1.0, 0.62, 0.3], np.float32), np.array([0.55, 0.8, 1.0], np.float32)
        light = (2.4 * core)[..., None] * warm + (1.3 * line + 0.35 * broad)[..., None] * blue
        for place, size, colour in (
            (-0.5, 0.12, (0.2, 0.9, 0.5)),
            (-0.85, 0.2, (0.9, 0.3, 0.4)),
            (0.4, 0.07, (0.3, 0.6, 1)),
        ):
            away = np.hypot(x - place * at[0], y - place * at[1]) / size
            light += (0.1 * smooth(1, 0.9, away))[..., None] * np.array(colour, np.float32)
        yield shown(power * light)


def dust(seed: int) -> Iterator[Field]:
    """Yield specks and hairs, dark and light, on mid grey, others on each other frame; thick now and then."""
    for frame in range(60):
        rng = np.random.default_rng((seed, frame // 2))
        thick = 2.5 if frame // 2 in (8, 9, 21) else 1.0
        picture = np.full((HEIGHT, WIDTH), 128, np.uint8)
        for _ in range(int(thick * rng.integers(90, 160))):
            at, level = (
                (int(rng.integers(WIDTH)), int(rng.integers(HEIGHT))),
                int(rng.choice([20, 60, 225, 250])),
            )
            axes = int(rng.integers(1, 6)), int(rng.integers(1, 4))
            cv2.ellipse(picture, at, axes, float(rng.uniform(0, 180)), 0, 360, level, -1, cv2.LINE_AA)
        for _ in range(int(thick * rng.integers(1, 4))):
            start = rng.uniform((0, 0), (WIDTH, HEIGHT))
            bends = start + np.cumsum(rng.normal(0, 5, (22, 2)) + rng.normal(0, 5, 2), axis=0)
            level = int(rng.choice([30, 235]))
            cv2.polylines(picture, [bends.astype(np.int32)], False, level, 1, cv2.LINE_AA)
        yield np.repeat(cv2.GaussianBlur(picture, (0, 0), 0.8)[..., None], 3, 2).astype(np.float32) / 255


def scratches(seed: int) -> Iterator[Field]:
    """Yield upright lines, light and dark, on mid grey that wander, come and go; many now and then."""
    rng = np.random.default_rng(seed)
    lines = [
        (
            rng.uniform(0, WIDTH),
            rng.uniform(-3, 3),
            (int(rng.integers(60)), 16, 44)[int(rng.integers(3))],
            rng.integers(5, 22),
        )
        for _ in range(54)
    ]
    for frame in range(60):
        chance = np.random.default_rng((seed, frame))
        picture = np.full((HEIGHT, WIDTH), 128, np.uint8)
        for number, (at, speed, first, length) in enumerate(lines):
            if first <= frame < first + length:
                x, top = (
                    round(at + speed * (frame - first) + chance.normal(0, 1)),
                    int(chance.integers(-HEIGHT, HEIGHT // 2)),
                )
                foot = x + int(chance.integers(-3, 4)), int(chance.integers(HEIGHT // 2, 2 * HEIGHT))
                level = 240 if number % 3 else 24
                cv2.line(picture, (x, max(0, top)), foot, level, 1 + number % 2, cv2.LINE_AA)
        yield np.repeat(cv2.GaussianBlur(picture, (0, 0), 0.7)[..., None], 3, 2).astype(np.float32) / 255


def grain(seed: int) -> Iterator[Field]:
    """Yield the grain of film on mid grey, in two sizes and a little colour, another on every frame."""
    for frame in range(30):
        rng = np.random.default_rng((seed, frame))
        fine = rng.normal(0, 0.1, (HEIGHT, WIDTH, 1)).astype(np.float32)
        coarse = cv2.resize(
            rng.normal(0, 0.12, (HEIGHT // 2, WIDTH // 2)).astype(np.float32), (WIDTH, HEIGHT)
        )
        colour = cv2.resize(
            rng.normal(0, 0.05, (HEIGHT // 2, WIDTH // 2, 3)).astype(np.float32), (WIDTH, HEIGHT)
        )
        yield 0.5 + cv2.GaussianBlur(fine, (0, 0), 0.6)[..., None] + coarse[..., None] + colour


def paper(seed: int) -> Iterator[Field]:
    """Yield fibres and folds that catch the light, on mid grey, another sheet every third frame."""
    x, y = grid()
    for frame in range(24):
        sheet = frame // 3
        rng = np.random.default_rng((seed, sheet))
        rough = clouds((seed, sheet), (WIDTH, HEIGHT), 170, 3) - 0.5
        fibres = cv2.blur(rng.normal(0, 1, (HEIGHT, WIDTH)).astype(np.float32), (9, 1))
        folds = np.zeros((HEIGHT, WIDTH), np.float32)
        for _ in range(9):
            angle, place = rng.uniform(0, np.pi), rng.uniform(-0.9, 0.9)
            away = x * np.cos(angle) + y * np.sin(angle) - place + 0.04 * (rough + 0.5)
            folds += np.sign(away) * np.exp(-np.abs(away) / 0.08) * rng.uniform(0.06, 0.2)
        yield np.repeat((0.5 + 0.5 * rough + folds + 0.09 * fibres)[..., None], 3, 2)


BURST = 6
"""Before which frame nothing is seen of those that burst."""
BLACK, WHITE = (0.075, 0.05, 0.045), (1.0, 0.97, 0.95)


class Kind(NamedTuple):
    """How an overlay is drawn and packed: its blend mode, at which frame it bursts or is at its height."""

    draw: Callable[[], Iterator[Field]]
    blend: BlendMode
    moment: int | None
    quality: int = 26


OVERLAYS: dict[str, Kind] = {
    "ink black": Kind(lambda: ink(21, BLACK, 5), BlendMode.NORMAL, BURST + 3, 34),
    "ink blue": Kind(lambda: ink(34, (0.34, 0.12, 0.06), 4), BlendMode.NORMAL, BURST + 3, 34),
    "ink white": Kind(lambda: ink(58, WHITE, 5), BlendMode.NORMAL, BURST + 3, 34),
    "smoke": Kind(lambda: smoke(4), BlendMode.NORMAL, BURST + 6, 36),
    "leak amber": Kind(lambda: leak(3, (0.05, 0.28, 1.0)), BlendMode.ADD_LIGHT, 16, 24),
    "leak rose": Kind(lambda: leak(8, (0.3, 0.12, 1.0)), BlendMode.ADD_LIGHT, 16, 24),
    "leak cold": Kind(lambda: leak(15, (1.0, 0.55, 0.22)), BlendMode.ADD_LIGHT, 16, 24),
    "burning edge": Kind(lambda: film_burn(7), BlendMode.ADD_LIGHT, 16, 24),
    "burn holes": Kind(lambda: burn_holes(12), BlendMode.NORMAL, BURST + 2, 34),
    "sparks": Kind(lambda: sparks(5), BlendMode.ADD_LIGHT, BURST + 2, 25),
    "embers": Kind(lambda: embers(6), BlendMode.ADD_LIGHT, None, 25),
    "bokeh": Kind(lambda: bokeh(9), BlendMode.ADD_LIGHT, None, 24),
    "leaves": Kind(lambda: leaves(2), BlendMode.HARD_LIGHT, None, 27),
    "rain": Kind(
        lambda: falling(3, number=420, speed=9, long=1.2, wide=1.7, sway=0.0, bright=0.16),
        BlendMode.ADD_LIGHT,
        None,
        29,
    ),
    "snow": Kind(
        lambda: falling(11, number=420, speed=2, long=0.2, wide=8.0, sway=0.02, bright=0.4),
        BlendMode.ADD_LIGHT,
        None,
        27,
    ),
    "gleam": Kind(lambda: gleam(1), BlendMode.ADD_LIGHT, 20, 24),
    "dust and hairs": Kind(lambda: dust(5), BlendMode.HARD_LIGHT, None, 29),
    "scratched film": Kind(lambda: scratches(9), BlendMode.HARD_LIGHT, None, 29),
    "film grain": Kind(lambda: grain(6), BlendMode.OVERLAY, None, 34),
    "paper sheets": Kind(lambda: paper(2), BlendMode.OVERLAY, None, 32),
}
"""All by their names."""


def write(path: Path, pictures: Iterator[Field], quality: int) -> None:
    """Write pictures so that every second is looked up quickly: H.264, or VP9 where there is alpha."""
    with av.open(str(path), "w") as container:
        if path.suffix == ".webm":
            options = {"crf": str(quality), "b": "0", "cpu-used": "1", "g": "15", "auto-alt-ref": "0"}
            stream, layout, order = (
                container.add_stream("libvpx-vp9", rate=RATE, options=options),
                "yuva420p",
                "bgra",
            )
        else:
            options = {"crf": str(quality), "preset": "veryslow", "g": "15", "threads": "1"}
            stream, layout, order = (
                container.add_stream("libx264", rate=RATE, options=options),
                "yuv420p",
                "bgr24",
            )
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, layout
        context = stream.codec_context
        context.colorspace, context.color_range = 1, 1
        for number, picture in enumerate(pictures):
            levels = np.ascontiguousarray(np.clip(np.rint(255 * picture), 0, 255).astype(np.uint8))
            frame = av.VideoFrame.from_ndarray(levels, format=order)
            frame = frame.reformat(format=layout, dst_colorspace=1, dst_color_range=1)
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def main(wanted: Sequence[str]) -> None:
    """Write all of them, or those that are wanted, and what is to be known of all."""
    FOLDER.mkdir(exist_ok=True)
    known = []
    for name, kind in OVERLAYS.items():
        suffix = ".webm" if kind.blend is BlendMode.NORMAL else ".mp4"
        if not wanted or name in wanted:
            write(FOLDER / f"{name}{suffix}", kind.draw(), kind.quality)
        moment = None if kind.moment is None else round(kind.moment / RATE, 6)
        known.append({"file": name + suffix, "blend": kind.blend.value, "moment": moment})
    (FOLDER / "overlays.json").write_text(json.dumps(known, indent=1) + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
