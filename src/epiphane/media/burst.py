"""The moment of footage that is laid over the picture: where ink bursts, or where a leak is brightest."""

from pathlib import Path

import numpy as np

from epiphane.media.curves import ClipCurves, measure_clip
from epiphane.types import Progress, ignore_progress

_BURST_SHARE, _STILL_SHARE, _BEFORE = 0.03, 0.15, 4
"""A burst is a rise in a picture, of so much of all that the brightness changes, that changed by less than so
much of that in so many pictures before."""
_STILL_LEVELS = 6.0


def find_burst(path: Path, *, progress: Progress = ignore_progress) -> float:
    """Return the moment of an overlay, in seconds from its first picture, as `burst_of` finds it.

    Raises
    ------
    MediaError
        If the clip is missing or damaged.
    """
    return burst_of(measure_clip(path, progress=progress))


def burst_of(curves: ClipCurves) -> float:
    """Return the first instant of the picture in which something bursts, or else of the brightest one.

    What keeps its brightness, as a texture does, has its moment at its start.
    """
    brightness = curves.brightness
    range_ = float(np.ptp(brightness))
    if len(brightness) < 2 or range_ < _STILL_LEVELS:
        return 0.0
    rises = np.diff(brightness)
    for place in np.argsort(-rises).tolist():
        if rises[place] < _BURST_SHARE * range_:
            break
        before = np.abs(rises[max(0, place - _BEFORE) : place])
        if not len(before) or before.mean() < _STILL_SHARE * rises[place]:
            return round(float(curves.times[place + 1]), 6)
    return round(float(curves.times[int(np.argmax(brightness))]), 6)
