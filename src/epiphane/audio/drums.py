"""Drum transcription: which onsets are kick, snare and hat, when exactly, and how strong."""

import numpy as np
from msgspec import Struct

from epiphane.arrays import nearest_index
from epiphane.audio.attack import nearest_attacks
from epiphane.audio.network import Network, Weights, sigmoid
from epiphane.audio.strokes import (
    FEATURES,
    N_BANDS,
    STROKE_HOPS_PER_SECOND,
    DrumSpectrum,
    describe_strokes,
    find_strokes,
)
from epiphane.audio.thresholds import choose_threshold, describe_thresholds
from epiphane.document.song import DRUMS, Drums, Hit
from epiphane.types import Float32Array, FloatArray, IntArray

N_DRUMS = len(DRUMS)
# A stroke's hop is this late against the attack; the attack itself is looked for around it.
_LATE_SECONDS = 0.0025
_ATTACK_REACH, _ATTACK_TENDENCY = 0.015, 0.008
_APART_SECONDS = 0.05
_TOLERANCE_SECONDS = 0.04
_N_NEAREST = 10
_ROWS_AT_ONCE, _NEIGHBOURHOOD = 512, 1024
_WINDOW_SECONDS, _WINDOW_HOP_SECONDS = 8.0, 4.0
_LEAD_SECONDS = 0.1
_PLAYING = 0.5
# The bands in which a drum's strength is read.
_STRENGTH_BANDS = (slice(0, 4), slice(4, 12), slice(11, N_BANDS))
_SPREAD_OUT = slice(FEATURES["entropy"].start, FEATURES["flatness_60_ms"].stop)
"""How evenly what a stroke brings is spread over the spectrum."""
_TOLD_BANDS = [0, 1, 9, 13, 15]


class Strokes(Struct, frozen=True, eq=False):
    """Strokes of a song.

    Attributes
    ----------
    hops : int64, shape (n_strokes,)
    features : float32, shape (n_strokes, n_features), of `describe_strokes`
    logits : float64, shape (n_strokes, 8)
        Log odds that a kick, snare or clap, hi-hat, cymbal, tom, clap, open hi-hat, crash is struck: each
        stroke heard by itself.
    """

    hops: IntArray
    features: Float32Array
    logits: FloatArray

    @property
    def times(self) -> FloatArray:
        """Seconds."""
        return self.hops / STROKE_HOPS_PER_SECOND

    @property
    def likelihoods(self) -> FloatArray:
        """Shape (n_strokes, 8), in 0..1."""
        return sigmoid(self.logits)

    @property
    def leading_silence(self) -> float:
        """Seconds until shortly before the first stroke: they do not count as part of the song."""
        return max(0.0, float(self.times[0]) - _LEAD_SECONDS) if len(self.hops) else 0.0


def hear_strokes(spectrum: DrumSpectrum, networks: tuple[Network, ...]) -> Strokes:
    """Return the strokes of a song, each heard by itself: the mean of several networks.

    Parameters
    ----------
    spectrum : DrumSpectrum
    networks : tuple of Network
        Each gives eight logits for `N_FEATURES` inputs.
    """
    hops = find_strokes(spectrum)
    features = describe_strokes(spectrum, hops)
    logits = np.mean([network.logits(features) for network in networks], axis=0)
    return Strokes(hops, features, logits)


def three_drums(logits: FloatArray) -> FloatArray:
    """Return likelihoods of low drum, snare and hat, shape (n, 3): a cymbal counts as a hat.

    Parameters
    ----------
    logits : float64, shape (n, 4 or more): kick, snare, hi-hat, cymbal, ...
    """
    chances = sigmoid(logits)
    return np.stack([chances[:, 0], chances[:, 1], np.maximum(chances[:, 2], chances[:, 3])], axis=1)


class Likely(Struct, frozen=True, eq=False):
    """How likely each drum is at each stroke, heard in the song.

    Attributes
    ----------
    drums : float64, shape (n_strokes, 3)
        0 where no drums play.
    playing : float, 0 to 1
        The share of the song in which drums play.
    """

    drums: FloatArray
    playing: float


def hear_drums(
    strokes: Strokes, beats: FloatArray, beats_per_bar: int, duration: float, weights: Weights
) -> Likely:
    """Return how likely the three drums are at each stroke.

    Drums repeat by the bar, and equal sounds are equal drums: a second, linear network knows both.

    Parameters
    ----------
    strokes : Strokes
    beats : float64, shape (n_beats,), seconds, ascending; may be empty
    beats_per_bar : int
    duration : float, seconds
    weights : Weights
    """
    if len(strokes.hops) < 4:
        return Likely(np.zeros((len(strokes.hops), N_DRUMS)), 0.0)
    inputs = describe_in_song(strokes, beats, beats_per_bar)
    return where_playing(
        strokes, three_drums(weights.drums_in_song.logits(inputs)), duration, weights.drums_play
    )


def where_playing(strokes: Strokes, likely: FloatArray, duration: float, drums_play: Network) -> Likely:
    """Return likelihoods, shape (n_strokes, 3), that are 0 where no drums play.

    Parameters
    ----------
    strokes : Strokes
    likely : float64, shape (n_strokes, 3), 0 to 1
    duration : float, seconds
    drums_play : Network
        Says of a window of eight seconds whether drums play in it.
    """
    windows, centres = describe_windows(strokes, likely, duration)
    playing = sigmoid(drums_play.logits(windows)[:, 0])
    plays = np.interp(strokes.times, centres, playing)[:, None] > _PLAYING
    return Likely(np.where(plays, likely, 0.0), float(playing.mean()))


def hit_times(strokes: Strokes, attacks: Float32Array) -> FloatArray:
    """Return the instant at which the sound of each stroke begins, seconds.

    Parameters
    ----------
    strokes : Strokes
    attacks : float32, shape (n_milliseconds,), from `attack_curve`

    Returns
    -------
    float64, shape (n_strokes,), 0 or more
        On the attack within 15 ms, else where the stroke's hop is, less its lag.
    """
    rough = strokes.times - _LATE_SECONDS
    near = nearest_attacks(attacks, rough, reach=_ATTACK_REACH, tendency=_ATTACK_TENDENCY)
    return np.asarray(np.maximum(np.where(np.isfinite(near), near, rough), 0.0))


def drum_hits(
    strokes: Strokes, likely: Likely, bar: float, duration: float, attacks: Float32Array, weights: Weights
) -> Drums:
    """Return the hits of each drum, on the attack of the sound, with their strength; and how sure each is.

    Parameters
    ----------
    strokes : Strokes
    likely : Likely
    bar : float, seconds
        The usual length of a bar; 0 where there is none.
    duration : float, seconds
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    weights : Weights
        Its `thresholds` choose one threshold a drum, its `drum_confidence` says how sure that is.

    Returns
    -------
    Drums
        Times to the microsecond, strengths 0 to 1 against the drum's own loud hits; no hits of bands.
    """
    found: dict[str, tuple[Hit, ...]] = {}
    confidence = []
    times = hit_times(strokes, attacks)
    sounding = duration - strokes.leading_silence
    for drum, name in enumerate(DRUMS):
        described = describe_thresholds(times, likely.drums[:, drum], likely.playing, bar, sounding)
        best = choose_threshold(described, weights.thresholds[drum], weights.drum_confidence[drum])
        confidence.append(round(best.confidence, 3))
        chosen = spaced(times, likely.drums[:, drum], best.threshold)
        strengths = _strengths(strokes.features[chosen], _STRENGTH_BANDS[drum])
        found[name] = tuple(
            Hit(round(float(time), 6), round(float(strength), 3))
            for time, strength in zip(times[chosen], strengths, strict=True)
        )
    kick, snare, hat = confidence
    return Drums(**found, confidence=(kick, snare, hat))


def spaced(times: FloatArray, likely: FloatArray, threshold: float) -> IntArray:
    """Return the strokes over a threshold, the likelier of two that are closer than 50 ms, in order.

    Parameters
    ----------
    times : float64, shape (n_strokes,), seconds, ascending
    likely : float64, shape (n_strokes,), 0 to 1
    threshold : float

    Returns
    -------
    int64, shape (n_kept,), indices
    """
    kept: list[int] = []
    for stroke in np.flatnonzero(likely > threshold):
        if kept and times[stroke] - times[kept[-1]] < _APART_SECONDS:
            if likely[stroke] > likely[kept[-1]]:
                kept[-1] = int(stroke)
        else:
            kept.append(int(stroke))
    return np.array(kept, np.int64)


def _strengths(features: Float32Array, bands: slice) -> FloatArray:
    """Return amplitudes against the drum's own loud hits, 0 to 1."""
    if len(features) == 0:
        return np.zeros(0)
    amplitude = np.sqrt(np.nansum(10.0 ** features[:, FEATURES["came"]][:, bands], axis=1))
    return np.asarray(np.clip(amplitude / max(float(np.percentile(amplitude, 90)), 1e-9), 0.02, 1))


def describe_in_song(strokes: Strokes, beats: FloatArray, beats_per_bar: int) -> Float32Array:
    """Return what the whole song says of each stroke, shape (n_strokes, 50).

    The stroke by itself, strokes that sound like it, what is usual in the song and around it, its
    neighbours in time, and what is struck in the same place of other bars and beats.
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
    features = np.nan_to_num(features)
    scaled = (features - features.mean(axis=0)) / (features.std(axis=0) + 0.05)
    came, fall, late = (scaled[:, start : start + N_BANDS] for start in (0, 2 * N_BANDS, 3 * N_BANDS))
    sound = np.concatenate([came, 0.6 * fall, 0.4 * late], axis=1)
    space = np.concatenate([sound, 4 * likely], axis=1).astype(np.float32)
    return _nearest_are(space, likely), _likeness_to_drums(sound, likely)


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
    if len(beats) <= 8:
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


def describe_windows(
    strokes: Strokes, likely: FloatArray, duration: float
) -> tuple[Float32Array, FloatArray]:
    """Return what tells whether drums play, shape (n_windows, 25), and the windows' middles, seconds."""
    silence = strokes.leading_silence
    n_windows = max(1, int(np.ceil((duration - silence - _WINDOW_SECONDS) / _WINDOW_HOP_SECONDS)) + 1)
    rows, centres = [], []
    for start in silence + np.arange(n_windows) * _WINDOW_HOP_SECONDS:
        inside = (strokes.times >= start) & (strokes.times < start + _WINDOW_SECONDS)
        rows.append(_describe_window(likely[inside], strokes.features[inside]))
        centres.append(min(start + _WINDOW_SECONDS / 2, duration))
    return np.array(rows, np.float32), np.array(centres)


def _describe_window(likely: FloatArray, features: Float32Array) -> FloatArray:
    n_strokes = len(likely)
    found = np.zeros(4 * N_DRUMS + 1 + 5 + 7)
    if n_strokes:
        ordered = np.sort(likely, axis=0)[::-1]
        found[0:N_DRUMS] = ordered[: max(1, n_strokes // 10)].mean(axis=0)
        found[N_DRUMS : 2 * N_DRUMS] = ordered[: max(1, 3 * n_strokes // 10)].mean(axis=0)
        found[2 * N_DRUMS : 3 * N_DRUMS] = (likely > 0.5).mean(axis=0)
        found[3 * N_DRUMS : 4 * N_DRUMS] = (likely * (1 - likely)).mean(axis=0)
    found[4 * N_DRUMS] = n_strokes / _WINDOW_SECONDS
    if n_strokes > 3:
        against_loud = features[:, FEATURES["came_against_loud"]][:, _TOLD_BANDS]
        found[-12:-7] = np.percentile(against_loud, 90, axis=0)
        found[-7:] = np.percentile(features[:, _SPREAD_OUT], 80, axis=0)
    return found
