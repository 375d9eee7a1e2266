"""The level of a lane that follows a band of the song."""

import math

import numpy as np

from epiphane.document.lane import Follow, Lane
from epiphane.document.project import Project
from epiphane.keying.picking import are_inside
from epiphane.timing import BOUNDARY_SECONDS
from epiphane.types import ByteArray, FloatArray

HEARD_PER_SECOND = 100
"""How often the level of the band was looked at."""

_LOUDEST = 255


def followed_levels(project: Project, lane: Lane) -> FloatArray:
    """Return the level of a lane that follows a band, on every frame.

    A frame has the loudest level while it is on screen, so that a stroke is seen on the frame of its hit;
    going up and down is slowed by one pole each (U. Zölzer, "DAFX", 2011, section 4.2). Where the pick has a
    range or sections, the level is that of silence outside them.

    Returns
    -------
    float64, shape (n_frames,), 0 to the lane's depth
    """
    song, follow, n_frames = project.song, lane.follow, project.n_frames
    heard = np.frombuffer(follow.heard, np.uint8)
    if song is None or len(heard) == 0:
        return np.zeros(n_frames)
    starts = np.arange(n_frames + 1) / float(project.rate)
    loudest = _loudest_between(heard, starts + song.start) / _LOUDEST
    wanted = np.clip((loudest - follow.quiet) / max(follow.loud - follow.quiet, 1e-3), 0, 1)
    wanted[~are_inside(song, lane.pick, starts[:-1])] = 0.0
    return lane.depth * _slowed(wanted, follow, float(project.rate))


def _loudest_between(heard: ByteArray, instants: FloatArray) -> FloatArray:
    """Return the greatest value from each instant (seconds) to the next; silence beyond the ends.

    Where none was taken between two, it is the one before them.
    """
    places = np.ceil((instants - BOUNDARY_SECONDS) * HEARD_PER_SECOND).astype(np.int64)
    first = np.where(places[1:] > places[:-1], places[:-1], places[:-1] - 1)
    n_values = np.maximum(places[1:] - first, 1)
    columns = first[:, None] + np.minimum(np.arange(n_values.max(initial=1)), n_values[:, None] - 1)
    padded = np.append(heard, np.uint8(0))
    return np.asarray(padded[np.clip(columns, 0, len(heard))].max(axis=1), np.float64)


def _slowed(wanted: FloatArray, follow: Follow, rate: float) -> FloatArray:
    up, down = (_share_a_frame(seconds / 1000, rate) for seconds in (follow.attack, follow.release))
    levels, level = [], 0.0
    for aim in wanted.tolist():
        level += (aim - level) * (up if aim > level else down)
        levels.append(level)
    return np.array(levels)


def _share_a_frame(seconds: float, rate: float) -> float:
    """Return how much of the way is gone in a frame with a time constant."""
    return 1.0 if seconds <= 0 else 1 - math.exp(-1 / (seconds * rate))
