"""The bars of a song in words: what a bar is counted in, and where a machine's clock jumps."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from epiphane.document.song import Beat
from epiphane.types import FloatArray

_FEWEST_BEATS, _ENOUGH_BEATS, _SUSTAINED_BEATS = 12, 1000, 9
_LEAST_THREE, _NEAR = 1.25, 0.12  # of the shortest group, from which one is of three; of its length
_LEAST_JUMP_SECONDS = 0.008


@lru_cache(maxsize=4)
def time_signature(beats: tuple[Beat, ...]) -> str:
    """Return what a bar is counted in: "4/4", or "2+2+3/8" where its beats are groups of two and three."""
    n_beats = max((beat.place for beat in beats), default=4)
    lengths = _usual_lengths(beats[:_ENOUGH_BEATS], n_beats)
    groups = np.where(lengths > _LEAST_THREE * lengths.min(), 3, 2) if len(lengths) else np.zeros(0)
    is_grouped = len(np.unique(groups)) == 2 and np.all(
        np.abs(lengths / groups / np.median(lengths / groups) - 1) < _NEAR
    )
    return "+".join(str(group) for group in groups) + "/8" if is_grouped else f"{n_beats}/4"


def n_clock_jumps(beats: Sequence[Beat]) -> int:
    """Return how often beats of one tempo jump by some hundredths of a second and stay there."""
    n_beats = max((beat.place for beat in beats), default=4)
    lengths = _usual_lengths(beats, n_beats)
    if not len(lengths):
        return 0
    times = np.array([beat.time for beat in beats])
    expected = np.cumsum([0.0, *(lengths[beat.place - 1] for beat in beats[:-1])])
    around = np.pad(times - expected, _SUSTAINED_BEATS // 2, mode="edge")
    phase = np.median(np.lib.stride_tricks.sliding_window_view(around, _SUSTAINED_BEATS), axis=1)
    return int((np.abs(np.diff(phase)) > _LEAST_JUMP_SECONDS).sum())


def _usual_lengths(beats: Sequence[Beat], n_beats: int) -> FloatArray:
    """Return how long the beat at each place in the bar usually is, seconds; empty where there are few."""
    if len(beats) < max(_FEWEST_BEATS, 2 * n_beats):
        return np.zeros(0)
    gaps = np.diff([beat.time for beat in beats])
    places = np.array([beat.place - 1 for beat in beats[:-1]])
    if len(np.unique(places)) < n_beats:
        return np.zeros(0)
    return np.array([float(np.median(gaps[places == place])) for place in range(n_beats)])
