"""Where bars begin, told by where the whole sound changes for long: parts of a song begin on downbeats."""

import numpy as np
from msgspec.structs import replace

from epiphane.audio.metre import Bars
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND, DrumSpectrum
from epiphane.types import FloatArray, IntArray

_SPAN_BEATS, _APART_SECONDS, _SECONDS_A_CHANGE = 4, 6.0, 12.0
_MOST_BELOW_DB, _WHOLE = 30.0, 0.9
_FEWEST_CHANGES = 6
_MOST_HEARD, _LEAST_BEST, _LEAST_LEAD = 0.2, 0.4, 0.25
"""Bars begin elsewhere than they were heard to where so little, and so much, of the change says so."""
_MOST_SURE = 0.5


def on_changes(bars: Bars, beats: FloatArray, spectrum: DrumSpectrum) -> Bars:
    """Return bars that begin where parts do, if those clearly begin on another beat than bars were heard to.

    For songs with a clock alone: what people play may have parts that begin with an upbeat.

    Parameters
    ----------
    bars : Bars
    beats : float64, seconds, ascending
    spectrum : DrumSpectrum
    """
    changes, by = _changes(beats, spectrum)
    if len(changes) < _FEWEST_CHANGES:
        return bars
    votes = np.bincount(bars.places[changes], weights=by, minlength=bars.beats_per_bar) / by.sum()
    best = int(votes.argmax())
    is_elsewhere = votes[0] < _MOST_HEARD and votes[best] > max(_LEAST_BEST, votes[0] + _LEAST_LEAD)
    if not is_elsewhere:
        return bars
    places = (bars.places - best) % bars.beats_per_bar
    return replace(bars, places=places, confidence=min(bars.confidence, _MOST_SURE))


def _changes(beats: FloatArray, spectrum: DrumSpectrum) -> tuple[IntArray, FloatArray]:
    """Return the numbers of the beats at which the sound changes most for long, and by how much, dB.

    The mean spectrum of the four beats from there on is held against that of the four before.
    """
    levels = spectrum.levels
    span = _SPAN_BEATS * float(np.median(np.diff(beats))) if len(beats) > 1 else 0.0
    edges = np.array([beats - span, beats, beats + span]) * STROKE_HOPS_PER_SECOND
    first, middle, end = np.clip(np.round(edges).astype(np.int64), 0, len(levels))
    change = np.zeros(len(beats))
    for band in levels.T:  # one by one: of three hours all sums at once are 300 MB
        decibels = np.maximum(10 * band, 10 * band.max(initial=-np.inf) - _MOST_BELOW_DB)
        sums = np.concatenate([[0.0], np.cumsum(decibels, dtype=np.float64)])
        before = (sums[middle] - sums[first]) / np.maximum(middle - first, 1)
        after = (sums[end] - sums[middle]) / np.maximum(end - middle, 1)
        change += np.abs(after - before) / levels.shape[1]
    whole = _WHOLE * span * STROKE_HOPS_PER_SECOND
    change[(middle - first < whole) | (end - middle < whole)] = 0.0
    most = max(_FEWEST_CHANGES, int((beats[-1] - beats[0]) / _SECONDS_A_CHANGE)) if len(beats) else 0
    kept: list[int] = []
    for beat in np.argsort(-change):
        if len(kept) >= most or change[beat] <= 0:
            break
        if all(abs(beats[beat] - beats[other]) > _APART_SECONDS for other in kept):
            kept.append(int(beat))
    return np.array(kept, np.int64), change[kept]
