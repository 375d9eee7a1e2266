"""What the whole song says of each stroke: what sounds like it, and what is struck in its place elsewhere."""

import numpy as np

from epiphane.arrays import nearest_index
from epiphane.audio.heard_strokes import N_DRUMS, Strokes, three_drums
from epiphane.audio.strokes import N_BANDS
from epiphane.types import Float32Array, FloatArray

N_IN_SONG = 50
_TOLERANCE_SECONDS = 0.04
_N_NEAREST = 10
_ROWS_AT_ONCE, _NEIGHBOURHOOD = 512, 1024
_FEWEST_BEATS = 9


def describe_in_song(strokes: Strokes, beats: FloatArray, beats_per_bar: int) -> Float32Array:
    """Return what the whole song says of each stroke, shape (n_strokes, `N_IN_SONG`).

    The stroke by itself, strokes that sound like it, what is usual in the song and around it, its
    neighbours in time, and what is struck in the same place of other bars and beats.

    Parameters
    ----------
    strokes : Strokes
    beats : float64, shape (n_beats,), seconds, ascending; may be empty
    beats_per_bar : int
    """
    likely = three_drums(strokes.logits)
    odds = np.log(likely + 1e-4) - np.log(1 - likely + 1e-4)
    parts = [
        strokes.logits,
        np.clip(odds, -6, 6),
        *_alike(strokes.features, likely),
        _in_beat(strokes.times, likely, beats, beats_per_bar),
        np.tile(_usual(likely), (len(likely), 1)),
        _around(strokes.times, likely),
        *_neighbours(strokes.times, likely),
    ]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _alike(features: Float32Array, likely: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return what the ten most similar strokes are, and the likeness to the song's own three drums."""
    came, fall, late = (
        _scaled(features[:, start : start + N_BANDS]) for start in (0, 2 * N_BANDS, 3 * N_BANDS)
    )
    sound = np.concatenate([came, 0.6 * fall, 0.4 * late], axis=1)
    space = np.concatenate([sound, 4 * likely], axis=1).astype(np.float32)
    return _nearest_are(space, likely), _likeness_to_drums(sound, likely)


def _scaled(features: Float32Array) -> Float32Array:
    features = np.nan_to_num(features)
    return np.asarray((features - features.mean(axis=0)) / (features.std(axis=0) + 0.05))


def _nearest_are(space: Float32Array, likely: FloatArray) -> FloatArray:
    """Return the weighted mean likelihoods of the nearest strokes; some thousands around are looked at."""
    n_strokes = len(space)
    if n_strokes <= _N_NEAREST + 2:
        return likely
    squares = (space**2).sum(axis=1)
    found = np.empty_like(likely)
    for first in range(0, n_strokes, _ROWS_AT_ONCE):
        end = min(first + _ROWS_AT_ONCE, n_strokes)
        low, high = max(0, first - _NEIGHBOURHOOD), min(n_strokes, end + _NEIGHBOURHOOD)
        distance = (
            squares[first:end, None] + squares[None, low:high] - 2 * space[first:end] @ space[low:high].T
        )
        distance[np.arange(end - first), np.arange(first, end) - low] = np.inf
        nearest = np.argpartition(distance, _N_NEAREST - 1, axis=1)[:, :_N_NEAREST]
        far = np.maximum(np.take_along_axis(distance, nearest, axis=1), 0)
        weight = 1 / (1 + far / (np.median(far) + 1e-6))
        found[first:end] = (likely[low + nearest] * weight[..., None]).sum(axis=1) / weight.sum(axis=1)[
            :, None
        ]
    return found


def _likeness_to_drums(sound: FloatArray, likely: FloatArray) -> FloatArray:
    norms = np.linalg.norm(sound, axis=1) + 1e-6
    found = np.full_like(likely, -0.5)
    for drum in range(N_DRUMS):
        weight = np.where(likely[:, drum] > 0.5, likely[:, drum] ** 4, 0)
        if weight.sum() > 2:
            mean = (sound * weight[:, None]).sum(axis=0) / weight.sum()
            found[:, drum] = sound @ mean / (norms * (np.linalg.norm(mean) + 1e-6))
    return found


def _in_beat(times: FloatArray, likely: FloatArray, beats: FloatArray, beats_per_bar: int) -> FloatArray:
    """Return the place in the beat, and what is struck one to four bars, half a bar and a beat away."""
    found = np.zeros((len(times), 3 + 3 * N_DRUMS))
    if len(beats) < _FEWEST_BEATS:
        return found
    period = float(np.median(np.diff(beats)))
    phase = beat_phase(beats, times)
    tolerance = _TOLERANCE_SECONDS / period
    turns = 2 * np.pi * (phase % 1)
    found[:, :3] = np.stack([np.cos(turns), np.cos(2 * turns), np.cos(4 * turns)], axis=1)
    bars = tuple(sign * count * beats_per_bar for count in (1, 2, 3, 4) for sign in (-1, 1))
    for column, shifts in enumerate((bars, (-beats_per_bar / 2, beats_per_bar / 2), (-1, 1))):
        total, count = np.zeros_like(likely), np.zeros(len(times))
        for shift in shifts:
            inside = (phase + shift >= phase[0] - 0.1) & (phase + shift <= phase[-1] + 0.1)
            total += _at_phase(phase, likely, phase + shift, tolerance) * inside[:, None]
            count += inside
        found[:, 3 + column * N_DRUMS : 3 + (column + 1) * N_DRUMS] = total / np.maximum(count, 1)[:, None]
    return found


def beat_phase(beats: FloatArray, times: FloatArray) -> FloatArray:
    """Return the position of times in beats from the first one, carried on beyond both ends.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending, two or more
    times : float64, shape (n,), seconds

    Returns
    -------
    float64, shape (n,)
        1.5 is half way between the second beat and the third; below 0 before the first.
    """
    period = float(np.median(np.diff(beats)))
    inside = np.interp(times, beats, np.arange(len(beats), dtype=np.float64))
    before = np.minimum(times - beats[0], 0) / period
    after = np.maximum(times - beats[-1], 0) / period
    return np.asarray(inside + before + after)


def _at_phase(phase: FloatArray, likely: FloatArray, wanted: FloatArray, tolerance: float) -> FloatArray:
    nearest = nearest_index(phase, wanted)
    return np.where((np.abs(phase[nearest] - wanted) < tolerance)[:, None], likely[nearest], 0.0)


def _usual(likely: FloatArray) -> FloatArray:
    return np.concatenate([np.percentile(likely, [50, 80, 95], axis=0).ravel(), (likely > 0.5).mean(axis=0)])


def _around(times: FloatArray, likely: FloatArray) -> FloatArray:
    """Return mean likelihoods within four seconds."""
    sums = np.concatenate([np.zeros((1, N_DRUMS)), np.cumsum(likely, axis=0)])
    first, end = np.searchsorted(times, times - 4), np.searchsorted(times, times + 4)
    return np.asarray((sums[end] - sums[first]) / np.maximum(end - first, 1)[:, None])


def _neighbours(times: FloatArray, likely: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return what is struck just before and just after, less the farther away it is."""
    before, after = np.zeros_like(likely), np.zeros_like(likely)
    near = np.exp(-np.diff(times) / 0.08)[:, None]
    before[1:], after[:-1] = likely[:-1] * near, likely[1:] * near
    return before, after
