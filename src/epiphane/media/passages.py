"""Shot boundaries and flaws of a clip: takes, black, blur, freezes, title cards."""

from itertools import pairwise

import numpy as np
import scipy.ndimage as ndi

from epiphane.document.footage import Flaw, Passage, Take
from epiphane.media.curves import ClipCurves

_LONGEST_SECONDS = 4.0
# A cut nearer than this to the one before is a flash or a glitch of the footage.
_SHORTEST_TAKE_SECONDS = 0.2

# Black and blank pictures: levels, whatever the range of the file.
_BLACK_BRIGHTNESS, _BLANK_CONTRAST = 30.0, 6.0
_WHITE_BRIGHTNESS = 225.0
# A fade goes on until contrast grows by less than this share a picture, and doubles it at least.
_FADE_GROWTH, _FADE_RATIO, _LONGEST_FADE_SECONDS = 0.008, 2.0, 4.0
_FROZEN_CHANGE = 0.02
_TITLE_PLAINNESS, _TITLE_CHANGE, _TITLE_CONTRAST = 0.75, 0.5, 10.0
_TITLE_GROUND = (60.0, 195.0)
_TITLE_SHARPNESS = 0.08
"""Of a title's contrast: writing has edges, a dark scene has gradients."""
_BLURRED_SHARE = 0.4
_SHAKE_SHARE = 0.025
"""Of the width, on average from picture to picture."""
_STEADY_SECONDS = 0.4
_LEAST_DRIFT = 0.003
"""Of the width, from picture to picture: less is no direction."""
_LEAST_SECONDS = {
    Flaw.BLACK: 0.06,
    Flaw.FADE: 0.1,
    Flaw.TITLE: 0.3,
    Flaw.FROZEN: 1.0,
    Flaw.SHAKY: 0.4,
    Flaw.BLURRED: 0.3,
}


def find_takes(curves: ClipCurves) -> tuple[Take, ...]:
    """Return the stretches between the cuts of a clip; the first begins with it."""
    starts = [0.0]
    for time in curves.times[curves.is_cut].tolist():
        if time - starts[-1] >= _SHORTEST_TAKE_SECONDS:
            starts.append(round(time, 6))
    return tuple(Take(start) for start in starts)


def find_passages(curves: ClipCurves, takes: tuple[Take, ...]) -> tuple[Passage, ...]:
    """Return what a clip shows, in passages of at most four seconds that lie within a take."""
    flaws = _flaws(curves)
    starts = np.searchsorted(curves.times, [take.start - 1e-6 for take in takes])
    bounds = sorted({*starts.tolist(), *(np.flatnonzero(np.diff(flaws)) + 1).tolist(), len(flaws)})
    passages: list[Passage] = []
    for first, end in pairwise(bounds):
        seconds = float(curves.times[end - 1] - curves.times[first])
        n_parts = max(1, int(np.ceil(seconds / _LONGEST_SECONDS)))
        edges = np.linspace(first, end, n_parts + 1).round().astype(int)
        passages += [_passage(curves, flaws, one, other) for one, other in pairwise(edges.tolist())]
    return tuple(passages)


def _passage(curves: ClipCurves, flaws: np.ndarray, first: int, end: int) -> Passage:
    part = slice(first, end)
    inner = slice(min(first + 1, end - 1), end)  # the step from the passage before says nothing of this one
    look = np.clip(np.rint(curves.look[part].mean(axis=0)), 0, 255).astype(int).tolist()
    code = int(flaws[first])
    return Passage(
        round(float(curves.times[first]), 6) if first else 0.0,
        None if code < 0 else list(Flaw)[code],
        round(float(curves.change[inner].mean()), 2),
        round(float(curves.sharpness[part].mean()), 2),
        (look[0], look[1], look[2]),
        _drift(curves, first, end),
    )


def _drift(curves: ClipCurves, first: int, end: int) -> tuple[float, float]:
    """Return how far what is seen moves in a passage, in widths a second: nothing where that is little."""
    flow = curves.flow[first:end]
    flow = flow[~np.isnan(flow[:, 0])]
    if len(flow) == 0:
        return 0.0, 0.0
    across, down = np.median(flow, axis=0).tolist()
    if np.hypot(across, down) < _LEAST_DRIFT:
        return 0.0, 0.0
    step = _step(curves)
    return tuple(float(np.clip(round(one / step, 4), -100, 100)) for one in (across, down))  # type: ignore[return-value]  # of two


def _flaws(curves: ClipCurves) -> np.ndarray:
    """Return the flaw of each picture as its place in `Flaw`, or -1."""
    black = (curves.brightness < _BLACK_BRIGHTNESS) & (curves.contrast < _BLANK_CONTRAST)
    found = {
        Flaw.BLACK: black,
        Flaw.FADE: _fades(curves, black),
        Flaw.TITLE: _titles(curves),
        Flaw.FROZEN: _frozen(curves),
        Flaw.SHAKY: _shaky(curves),
        Flaw.BLURRED: _blurred(curves),
    }
    flaws = np.full(len(curves.times), -1)
    step = _step(curves)
    for flaw, is_flawed in reversed(found.items()):
        flaws[_long_enough(is_flawed, max(1, round(_LEAST_SECONDS[flaw] / step)))] = list(Flaw).index(flaw)
    return flaws


def _step(curves: ClipCurves) -> float:
    return float(np.median(np.diff(curves.times))) if len(curves.times) > 1 else 1 / 25


def _long_enough(is_true: np.ndarray, least: int) -> np.ndarray:
    """Return where something holds for some pictures in a row."""
    labels, n_runs = ndi.label(is_true)
    lengths = np.bincount(labels.ravel(), minlength=n_runs + 1)
    return np.asarray(is_true & (lengths[labels] >= least))


def _fades(curves: ClipCurves, black: np.ndarray) -> np.ndarray:
    """Return where a picture comes out of a blank one, or goes into it: its contrast grows all the way."""
    is_fade = np.zeros(len(black), bool)
    blank = black | ((curves.brightness > _WHITE_BRIGHTNESS) & (curves.contrast < _BLANK_CONTRAST))
    most = round(_LONGEST_FADE_SECONDS / _step(curves))
    labels, n_runs = ndi.label(blank)
    for run in range(1, n_runs + 1):
        where = np.flatnonzero(labels == run)
        for at, direction in ((int(where[-1]), 1), (int(where[0]), -1)):
            length = _growing(curves, at, direction, most)
            last = at + direction * length
            if length and curves.contrast[last] >= _FADE_RATIO * max(curves.contrast[at + direction], 1.0):
                is_fade[min(at, last) : max(at, last) + 1] = True
    return np.asarray(is_fade & ~black)


def _growing(curves: ClipCurves, at: int, direction: int, most: int) -> int:
    """Return for how many pictures from a blank one on contrast grows, step by step and without a cut."""
    length, level = 0, float(curves.contrast[at])
    at_once = 0.5 * float(curves.contrast.max())
    while length < most:
        here = at + direction * (length + 1)
        if not 0 <= here < len(curves.contrast):
            break
        step_into = here if direction > 0 else here + 1
        is_jump = bool(curves.is_cut[step_into]) or (length == 0 and curves.contrast[here] > at_once)
        grown = float(curves.contrast[here])
        if is_jump or (grown < level * (1 + _FADE_GROWTH) and grown > _BLANK_CONTRAST):
            break
        length, level = length + 1, grown
    return length


def _titles(curves: ClipCurves) -> np.ndarray:
    """Return where there is writing at rest on a plain ground that is dark or light."""
    low, high = _TITLE_GROUND
    is_plain = (curves.plainness > _TITLE_PLAINNESS) & (
        (curves.brightness < low) | (curves.brightness > high)
    )
    has_edges = curves.sharpness > _TITLE_SHARPNESS * curves.contrast
    return np.asarray(
        is_plain & has_edges & (curves.change < _TITLE_CHANGE) & (curves.contrast > _TITLE_CONTRAST)
    )


def _frozen(curves: ClipCurves) -> np.ndarray:
    """Return where pictures are repeated; the first of them too."""
    is_same = curves.change < _FROZEN_CHANGE
    return np.asarray(is_same | np.append(is_same[1:], False))


def _blurred(curves: ClipCurves) -> np.ndarray:
    """Return where edges are much softer than the clip has them elsewhere, for the same contrast."""
    is_textured = curves.contrast > _BLANK_CONTRAST
    if not is_textured.any():
        return is_textured
    edges = curves.sharpness / np.maximum(curves.contrast, 1.0)
    usual = float(np.percentile(edges[is_textured], 80))
    return np.asarray(is_textured & (edges < _BLURRED_SHARE * usual))


def _shaky(curves: ClipCurves) -> np.ndarray:
    """Return where the whole picture jerks: what it moves by changes much from picture to picture."""
    jerk = np.hypot(*np.diff(curves.shift, axis=0, prepend=curves.shift[:1]).T)
    jerk[curves.is_cut] = 0
    n_pictures = max(3, round(_STEADY_SECONDS / _step(curves)) | 1)
    # One jolt is something that happens; many are a hand that shakes.
    capped = np.minimum(jerk, 2 * _SHAKE_SHARE)
    return np.asarray(ndi.uniform_filter1d(capped, n_pictures, mode="nearest") > _SHAKE_SHARE)
