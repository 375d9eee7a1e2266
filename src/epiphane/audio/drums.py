"""Drum transcription: which onsets are kick, snare and hat, when exactly, and how strong."""

import numpy as np
from msgspec import Struct

from epiphane.audio.attack import nearest_attacks
from epiphane.audio.heard_strokes import N_DRUMS, Strokes, three_drums
from epiphane.audio.network import Network, Weights, sigmoid
from epiphane.audio.stroke_context import describe_in_song
from epiphane.audio.strokes import FEATURES, N_BANDS
from epiphane.audio.thresholds import choose_threshold, describe_thresholds
from epiphane.document.song import DRUMS, Drums, Hit
from epiphane.types import Float32Array, FloatArray, IntArray

# A stroke's hop is this late against the attack; the attack itself is looked for around it.
_LATE_SECONDS = 0.0025
_ATTACK_REACH, _ATTACK_TENDENCY = 0.015, 0.008
_APART_SECONDS = 0.05
_WINDOW_SECONDS, _WINDOW_HOP_SECONDS = 8.0, 4.0
_PLAYING = 0.5
# The bands in which a drum's strength is read.
_STRENGTH_BANDS = (slice(0, 4), slice(4, 12), slice(11, N_BANDS))
_SPREAD_OUT = slice(FEATURES["entropy"].start, FEATURES["flatness_60_ms"].stop)
"""How evenly what a stroke brings is spread over the spectrum."""
_TOLD_BANDS = [0, 1, 9, 13, 15]


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
