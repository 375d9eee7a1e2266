"""Materials and things of the workshop, painted with NumPy and OpenCV.

A *sprite* is float32, shape (height, width, 4): BGR 0 to 255 and alpha 0 to 1, not premultiplied.
Canvases are float32, shape (720, 1280, 3), BGR.
"""

import cv2
import numpy as np

from epiphane.types import Float32Array

WIDTH, HEIGHT = 1280, 720
LIGHT = np.array([-0.45, -0.65, 0.61])  # from the upper left, a little in front
SHADOW_SHIFT = (16.0, 26.0)

Colour = tuple[float, float, float]


def noise(height: int, width: int, *, cell: tuple[float, float], seed: int) -> Float32Array:
    """Return smooth noise in [0, 1], shape (height, width); `cell` is its grain in pixels (x, y)."""
    rng = np.random.default_rng(seed)
    small = rng.random((max(2, round(height / cell[1]) + 2), max(2, round(width / cell[0]) + 2)))
    big = cv2.resize(small.astype(np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    return np.clip(big, 0, 1)


def wood(height: int, width: int, *, colour: Colour, seed: int) -> Float32Array:
    """Return a board with its grain lying along x, shape (height, width, 3)."""
    rings = noise(height, width, cell=(420, 46), seed=seed) * 9
    rings += noise(height, width, cell=(160, 7), seed=seed + 1) * 0.9
    grain = 0.5 + 0.5 * np.sin(2 * np.pi * rings)
    pores = noise(height, width, cell=(34, 1.3), seed=seed + 2)
    tone = (
        0.80
        + 0.17 * grain
        - 0.16 * (pores > 0.72) * pores
        + 0.10 * noise(height, width, cell=(500, 200), seed=seed + 3)
    )
    tint = np.stack([tone**1.5, tone**1.12, tone], axis=2)
    return np.asarray(tint * np.array(colour, np.float32), np.float32)


def rounded(height: int, width: int, radius: float) -> Float32Array:
    """Return the signed distance inside a rounded rectangle: positive inside, in pixels."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    dx = np.maximum(np.abs(x - (width - 1) / 2) - (width / 2 - 1 - radius), 0)
    dy = np.maximum(np.abs(y - (height - 1) / 2) - (height / 2 - 1 - radius), 0)
    return np.asarray(radius - np.hypot(dx, dy), np.float32)


def plank(width: int, height: int, *, colour: Colour, seed: int, radius: float = 6) -> Float32Array:
    """Return a sprite of a planed piece of wood, lit from above."""
    inside = rounded(height, width, radius)
    face = wood(height, width, colour=colour, seed=seed)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
    face = face * (1.10 - 0.42 * y)
    edge = np.clip(1 - inside / 3.5, 0, 1)[..., None]
    face = face * (1 - 0.30 * edge * (y > 0.4)) + 70 * edge * (y < 0.35)
    return _sprite(face, inside)


def metal(width: int, height: int, *, colour: Colour, radius: float = 5) -> Float32Array:
    """Return a sprite of a polished bar with one long reflection."""
    inside = rounded(height, width, radius)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    sheen = 0.50 + 0.62 * np.exp(-(((y - 0.27) / 0.15) ** 2)) + 0.28 * np.exp(-(((y - 0.86) / 0.10) ** 2))
    along = 1 + 0.10 * np.sin(np.linspace(0, 5, width, dtype=np.float32))[None]
    face = (sheen * along)[..., None] * np.array(colour, np.float32)
    glint = np.exp(-(((y - 0.25) / 0.07) ** 2))[..., None] * 95
    return _sprite(face + glint, inside)


def plate(width: int, height: int, *, colour: Colour, radius: float = 8) -> Float32Array:
    """Return a sprite of a painted wooden tile with a bevel and a brass dot."""
    inside = rounded(height, width, radius)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    face = np.array(colour, np.float32) * (1.08 - 0.35 * y / height)[..., None]
    face *= 0.94 + 0.1 * noise(height, width, cell=(3, 40), seed=width + height)[..., None]
    left = np.clip(1 - (x + 1) / 5, 0, 1)[..., None]
    right = np.clip(1 - (width - x) / 5, 0, 1)[..., None]
    face = face + 60 * left - 46 * right
    dot = np.clip(width * 0.16 - np.hypot(x - width / 2, y - height * 0.26) + 0.5, 0, 1)[..., None]
    face = face * (1 - dot) + dot * np.array((96, 176, 226), np.float32)
    return _sprite(face, inside)


def marble(radius: float, *, colours: tuple[Colour, Colour], spin: float) -> Float32Array:
    """Return a sprite of a glass marble with a ribbon inside, turned by `spin` radians."""
    n = int(np.ceil(radius)) * 2 + 5
    centre = (n - 1) / 2
    y, x = (np.mgrid[0:n, 0:n].astype(np.float32) - centre) / radius
    squared = x**2 + y**2
    z = np.sqrt(np.clip(1 - squared, 0, 1))
    # Seen through the glass the ribbon looks larger and bent.
    bend = 0.78 + 0.22 * z
    u = (x * np.cos(spin) + y * np.sin(spin)) * bend
    v = (-x * np.sin(spin) + y * np.cos(spin)) * bend
    ribbon = np.exp(-(((v - 0.30 * np.sin(3.1 * u + 0.6)) / (0.20 + 0.10 * z)) ** 2))
    thread = np.exp(-(((v + 0.42 * np.cos(2.6 * u)) / 0.07) ** 2))
    glass, inner = (np.array(colour, np.float32) for colour in colours)
    body = glass * (0.34 + 0.30 * z)[..., None]
    body += (inner - body) * (0.92 * ribbon)[..., None]
    body += (245 - body) * (0.55 * thread * z)[..., None]
    lit = np.clip(x * LIGHT[0] + y * LIGHT[1] + z * LIGHT[2], 0, 1)
    through = np.exp(-((x - 0.34) ** 2 + (y - 0.46) ** 2) / 0.16)
    body = body * (0.42 + 0.66 * lit)[..., None] + glass * (0.75 * through * z)[..., None]
    window = np.exp(-(((x + 0.36) / 0.17) ** 4 + ((y + 0.44) / 0.13) ** 4))
    rim = np.clip(squared, 0, 1) ** 4
    body += 235 * window[..., None] + (rim * (0.30 + 0.7 * (y < -0.2)))[..., None] * 44
    body *= (1 - 0.55 * rim * (y > 0))[..., None]
    alpha = np.clip((1 - np.sqrt(squared)) * radius + 0.5, 0, 1)
    return np.dstack([np.clip(body, 0, 255), alpha]).astype(np.float32)


def place(
    canvas: Float32Array,
    sprite: Float32Array,
    x: float,
    y: float,
    *,
    turn: float = 0.0,
    anchor: tuple[float, float] = (0.5, 0.5),
    shadow: float = 0.0,
) -> None:
    """Paint a sprite with its anchor (in shares of it) at a point, turned by radians clockwise.

    With a `shadow` (0 to 1) it also darkens the wall behind it, to the lower right.
    """
    if shadow:
        soft = _soft_alpha(sprite)
        pad = (soft.shape[1] - sprite.shape[1]) / 2
        place_mask(
            canvas,
            soft,
            x + SHADOW_SHIFT[0],
            y + SHADOW_SHIFT[1],
            turn=turn,
            strength=shadow,
            centre=(anchor[0] * sprite.shape[1] + pad, anchor[1] * sprite.shape[0] + pad),
        )
    centre = (anchor[0] * sprite.shape[1], anchor[1] * sprite.shape[0])
    found = _landed(sprite, x, y, turn, centre, canvas)
    if found is None:
        return
    part, rows, columns = found
    alpha = part[..., 3:]
    area = canvas[rows, columns]
    # What the warp mixed in from outside the sprite is black at alpha 0.
    area += alpha * (part[..., :3] - area)


def place_mask(
    canvas: Float32Array,
    mask: Float32Array,
    x: float,
    y: float,
    *,
    turn: float,
    strength: float,
    centre: tuple[float, float],
) -> None:
    """Darken the canvas under a mask in [0, 1], shape (height, width)."""
    found = _landed(mask, x, y, turn, centre, canvas)
    if found is not None:
        part, rows, columns = found
        canvas[rows, columns] *= (1 - strength * part)[..., None]


def glow(canvas: Float32Array, x: float, y: float, radius: float, colour: Colour, strength: float) -> None:
    """Add a soft round light."""
    if strength <= 0.003:
        return
    reach = int(radius * 2.6)
    left, top = int(x) - reach, int(y) - reach
    x0, y0 = max(left, 0), max(top, 0)
    x1, y1 = min(left + 2 * reach, canvas.shape[1]), min(top + 2 * reach, canvas.shape[0])
    if x0 >= x1 or y0 >= y1:
        return
    across = np.exp(-(((np.arange(x0, x1) - x) / radius) ** 2))
    down = np.exp(-(((np.arange(y0, y1) - y) / radius) ** 2))
    light = (down[:, None] * across[None, :] * strength).astype(np.float32)
    canvas[y0:y1, x0:x1] += light[..., None] * np.array(colour, np.float32)


def wall(*, colour: Colour, light: tuple[float, float], seed: int) -> Float32Array:
    """Return a canvas: a limewashed wall in a pool of lamplight, a pegboard rail, a bench below."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    patches = noise(HEIGHT, WIDTH, cell=(210, 170), seed=seed) - 0.5
    fine = noise(HEIGHT, WIDTH, cell=(2.2, 2.2), seed=seed + 1) - 0.5
    tone = 1 + 0.16 * patches + 0.035 * fine
    pool = np.exp(-(((x - light[0]) / 620) ** 2 + ((y - light[1]) / 430) ** 2))
    canvas = np.array(colour, np.float32) * (tone * (0.30 + 0.95 * pool))[..., None]
    canvas += (pool**3)[..., None] * np.array((14, 26, 40), np.float32)
    _hang_tools(canvas, seed)
    bench_top = 640
    bench = wood(HEIGHT - bench_top, WIDTH, colour=(74, 112, 160), seed=seed + 5)
    depth = np.linspace(1.05, 0.55, HEIGHT - bench_top, dtype=np.float32)[:, None, None]
    across = (0.35 + 0.75 * np.exp(-(((np.arange(WIDTH) - light[0]) / 520) ** 2)))[None, :, None]
    canvas[bench_top:] = bench * depth * across
    canvas[bench_top - 16 : bench_top] *= np.linspace(1, 0.55, 16, dtype=np.float32)[:, None, None]
    canvas[bench_top : bench_top + 3] += 26
    return np.asarray(canvas, np.float32)


def _hang_tools(canvas: Float32Array, seed: int) -> None:
    """Paint a rail with tools out of focus, as far back as the wall."""
    layer = np.zeros((HEIGHT, WIDTH), np.float32)
    rng = np.random.default_rng(seed)
    cv2.rectangle(layer, (0, 64), (WIDTH, 78), 0.5, -1)
    x = 40.0
    while x < WIDTH:
        length, width = rng.uniform(60, 150), rng.uniform(8, 20)
        cv2.rectangle(layer, (int(x - width / 3), 78), (int(x + width / 3), int(78 + length)), 0.42, -1)
        if rng.random() < 0.6:
            cv2.ellipse(layer, (int(x), int(78 + length)), (int(width * 1.5), int(width)), 0, 0, 360, 0.5, -1)
        x += rng.uniform(70, 170)
    layer = np.asarray(cv2.GaussianBlur(layer, (0, 0), 9), np.float32)
    canvas *= (1 - 0.55 * layer)[..., None]


def _sprite(face: Float32Array, inside: Float32Array) -> Float32Array:
    return np.dstack([np.clip(face, 0, 255), np.clip(inside + 0.5, 0, 1)]).astype(np.float32)


_SOFT: dict[int, tuple[Float32Array, Float32Array]] = {}


def _soft_alpha(sprite: Float32Array) -> Float32Array:
    """Return the blurred outline of a sprite, 24 pixels larger on every side."""
    known = _SOFT.get(id(sprite))
    if known is None or known[0] is not sprite:
        if len(_SOFT) > 64:
            _SOFT.clear()
        soft = cv2.GaussianBlur(np.pad(sprite[..., 3], 24), (0, 0), 9)
        known = _SOFT[id(sprite)] = (sprite, np.asarray(soft, np.float32))
    return known[1]


def _landed(
    image: Float32Array, x: float, y: float, turn: float, centre: tuple[float, float], canvas: Float32Array
) -> tuple[Float32Array, slice, slice] | None:
    """Return an image turned and moved into the part of the canvas that it covers."""
    height, width = image.shape[:2]
    cos, sin = np.cos(turn), np.sin(turn)
    corners = np.array([[0, 0], [width, 0], [0, height], [width, height]], float) - centre
    turned = corners @ np.array([[cos, sin], [-sin, cos]]) + (x, y)
    x0, y0 = np.maximum(np.floor(turned.min(axis=0)).astype(int) - 1, 0)
    x1, y1 = np.minimum(np.ceil(turned.max(axis=0)).astype(int) + 2, (canvas.shape[1], canvas.shape[0]))
    if x0 >= x1 or y0 >= y1:
        return None
    shift = (
        x - x0 - cos * centre[0] + sin * centre[1],
        y - y0 - sin * centre[0] - cos * centre[1],
    )
    matrix = np.array([[cos, -sin, shift[0]], [sin, cos, shift[1]]])
    part = cv2.warpAffine(image, matrix, (int(x1 - x0), int(y1 - y0)), flags=cv2.INTER_LINEAR)
    return np.asarray(part, np.float32), slice(int(y0), int(y1)), slice(int(x0), int(x1))
