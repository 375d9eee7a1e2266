"""Matte wipe: the next picture spreads as ink, clouds, grain or cracks do, or by the brightness of a clip."""

from functools import lru_cache

import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.transitions.declare import ByMatte, Join, Progress, transition
from epiphane.transitions.mixing import (
    EdgeLight,
    Order,
    as_order,
    chances_of,
    cloud_order,
    edge_parameters,
    grid_of,
    in_order,
    in_order_lit,
    ink_order,
    ramp_of,
)
from epiphane.types import Size


@transition(
    key="matte",
    version=2,
    family=Family.FRAME,
    label="Matte wipe",
    group="Wipes",
    parameters=(
        ChoiceParameter(
            "matte",
            "Matte",
            ("flow", "ink", "clouds", "grain", "cells", "clip"),
            "flow",
            help="Flow is ink in water",
        ),
        ChoiceParameter(
            "first", "First", ("bright", "dark"), "bright", "Of a clip: what of it goes over first"
        ),
        Parameter("softness", "Softness", "%", low=0, high=100, rest=6, peak=6),
        *edge_parameters(-40),
    ),
    frames=(9, 10),
    keywords="ink smoke texture organic spread",
)
def matte(values: Values, progress: Progress) -> Join:
    """Lets the next picture spread over this one as a matte says: one by chance, or a clip's brightness."""

    def order(size: Size) -> Order:
        return _order(size, values.matte, progress.seed)

    softness = values.softness / 100
    if values.matte != "clip":
        return Join(in_order_lit(order, progress, softness, EdgeLight.of(values)))
    ramp = ramp_of(progress.share, softness, n_levels=256)
    by_order = in_order(order, progress.share, softness)
    return Join(ByMatte(ramp[:, ::-1] if values.first == "bright" else ramp, by_order))


@lru_cache(maxsize=8)
def _order(size: Size, kind: str, seed: int) -> Order:
    if kind == "flow":
        return ink_order(size, seed)
    if kind == "clouds":
        return cloud_order(size, seed, 3, 0.5)
    if kind == "grain":
        return cloud_order(size, seed, 24, 0.9)
    x, y = grid_of(size)
    if kind == "ink":
        blots = chances_of(seed, (5, 2)) * 1.6 - 0.8
        away = [np.hypot(x - across, y - down * size[1] / size[0]) for across, down in blots]
        ragged = cloud_order(size, seed, 5, 0.65) / 65535
        return as_order(np.min(away, axis=0) + 0.45 * ragged)
    points = chances_of(seed, (60, 2)) * 2 - 1
    turns = chances_of(seed + 1, (60,))
    nearest, order = np.full(x.shape, np.inf), np.zeros(x.shape)
    for (across, down), turn in zip(points, turns, strict=True):
        away = (x - across) ** 2 + (y - down * size[1] / size[0]) ** 2
        is_nearer = away < nearest
        nearest[is_nearer], order[is_nearer] = away[is_nearer], turn
    return as_order(order + 0.5 * np.sqrt(nearest))
