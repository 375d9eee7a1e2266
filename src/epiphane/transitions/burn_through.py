"""Burn through: the picture burns away like paper."""

from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.pixels import shaded
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import (
    EdgeLight,
    Order,
    as_order,
    chances_of,
    cloud_order,
    edge_lit,
    edge_parameters,
    grid_of,
    masked,
    ramp_of,
)
from epiphane.types import Picture, Size

_RAGGED, _SHARP = 0.55, 0.012


@transition(
    key="burn-through",
    version=1,
    family=Family.LIGHT,
    label="Burn through",
    group="Light",
    parameters=(
        Parameter("holes", "Holes", "", low=1, high=8, rest=3, peak=3, is_whole=True),
        Parameter("charred", "Charred", "%", low=0, high=60, rest=22, peak=22, help="Before it burns"),
        *edge_parameters(220, "#ff7a1e"),
    ),
    frames=(10, 12),
    keywords="fire paper film melt ember flame hole",
)
def burn_through(values: Values, progress: Progress) -> Join:
    """Burns ragged holes into this picture, charred before their glowing rims; the next one lies below."""
    charred, edge = values.charred / 100, EdgeLight.of(values)
    whole = progress.share * (1 + charred)
    ramp = ramp_of(min(max(whole - charred, 0.0), 1.0), _SHARP)
    # What will burn soon is dark by how soon.
    places = np.arange(65536, dtype=np.float32) / 65535
    soon = np.clip((whole - places) / max(charred, 1e-3), 0, 1) ** 1.5
    gains = (255 * (1 - 0.94 * soon)).astype(np.uint8)[None]
    burning = Progress(
        min(max(whole - charred, 1e-4), 1.0), progress.step, progress.aspect, progress.seed, progress.in_light
    )

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        order = _order((outgoing.shape[1], outgoing.shape[0]), progress.seed, round(values.holes))
        dark = shaded(outgoing, np.asarray(cv2.LUT(order, gains), np.float32) / np.float32(255))
        done = masked(dark, incoming, np.asarray(cv2.LUT(order, ramp), np.uint8))
        return edge_lit(done, order, burning, _SHARP, edge)

    return Join(Composed(apply))


@lru_cache(maxsize=8)
def _order(size: Size, seed: int, holes: int) -> Order:
    x, y = grid_of(size)
    half_height = size[1] / size[0]
    spots = 1.7 * chances_of(seed + 3, (8, 2))[:holes] - 0.85
    away = np.min([np.hypot(x - across, y - down * half_height) for across, down in spots], axis=0)
    return as_order(away + _RAGGED * cloud_order(size, seed, 4, 0.62) / 65535)
