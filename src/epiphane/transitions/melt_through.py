"""Melt through: the picture runs down, and the next one stands behind it."""

from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.pixels import shaded
from epiphane.noise import clouds
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import masked
from epiphane.types import Float32Array, Picture

_COLUMNS, _SWAY, _RIM = 256, 0.02, 0.05


@transition(
    key="melt-through",
    version=1,
    family=Family.GLITCH,
    label="Melt through",
    group="Glitches",
    parameters=(
        Parameter("drips", "Drips", "", low=3, high=60, rest=14, peak=14, is_whole=True),
        Parameter("uneven", "Uneven", "%", low=0, high=100, rest=60, peak=60),
        Parameter("stretch", "Drawn out", "%", low=0, high=100, rest=65, peak=65),
        Parameter("shade", "Shaded rim", "%", low=0, high=100, rest=55, peak=55),
    ),
    frames=(9, 12),
    keywords="liquid drip wax run goo flow",
)
def melt_through(values: Values, progress: Progress) -> Join:
    """Has this picture run down in drips of unlike speed, drawn out as wax; the next one stands behind."""
    uneven, stretch = values.uneven / 100, values.stretch / 100

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        speeds = cv2.resize(_speeds(progress.seed, round(values.drips)), (width, 1))[0]
        # Slow ones are through at the end, quick ones long before.
        fallen = np.clip(progress.share * (1 + _RIM) * (1 + 2.5 * uneven * speeds), 0, 1.4).astype(np.float32)
        down = ((np.arange(height, dtype=np.float32) + 0.5) / height)[:, None]
        below = down - fallen[None]
        # Below the upper rim of what runs it is drawn out: it moves less, the lower it is.
        from_y = down - fallen[None] * (1 - stretch * np.clip(below / (1 - np.minimum(fallen, 0.98)), 0, 1))
        slope = cv2.blur(np.diff(fallen, append=fallen[-1:])[None] * width, (max(3, width // 60) | 1, 1))
        from_x = (
            np.arange(width, dtype=np.float32)[None] + np.asarray(slope, np.float32) * _SWAY * width * down
        )
        moved = cv2.remap(
            outgoing,
            np.broadcast_to(from_x, (height, width)).astype(np.float32),
            (from_y * height - 0.5).astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REFLECT,
        )
        edge = max(2 / height, 0.004)
        mask = np.rint(255 * np.clip(0.5 - below / edge, 0, 1)).astype(np.uint8)
        rim = np.exp(-np.maximum(below, 0) / _RIM) * (below > 0) * min(1.0, 4 * progress.nearness)
        dark = shaded(np.asarray(moved, np.uint8), (1 - values.shade / 100 * rim).astype(np.float32))
        return masked(dark, incoming, mask)

    return Join(Composed(apply))


@lru_cache(maxsize=8)
def _speeds(seed: int, drips: int) -> Float32Array:
    """Return how quickly each column runs, float32, shape (1, 256), 0 to 1."""
    speeds = clouds((seed, 4), (_COLUMNS, 2), drips, 2)[:1]
    return np.asarray((speeds - speeds.min()) / max(float(np.ptp(speeds)), 1e-6), np.float32)
