"""The moments of a clip: where something suddenly moves, flares up or is struck.

Three curves, a value a picture: how much more the picture changes than just before, how much its
brightness leaps, and how loud an attack of the clip's own sound is. What the three say together is
ranked.
"""

from pathlib import Path

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.attack import BINS_PER_SECOND, CLEAR_RISE, attack_curve
from epiphane.audio.samples import read_samples
from epiphane.document.footage import Moment, MomentCause
from epiphane.errors import MediaError
from epiphane.media.curves import ClipCurves
from epiphane.media.decoding import open_container
from epiphane.types import FloatArray

MOST_MOMENTS = 8
# Levels of 255 and shares of full scale from which a change is a strong one whatever else the clip has.
_STRONG_MOVEMENT, _STRONG_LIGHT, _STRONG_SOUND = 2.0, 2.0, 0.1
_WEIGHTS = {MomentCause.MOVEMENT: 0.4, MomentCause.LIGHT: 0.25, MomentCause.SOUND: 0.35}
_LEAST_SCORE = 0.12
_APART_SECONDS = 0.3
# Sound and picture of one knock are rarely more than this apart.
_SYNC_SECONDS = 0.045
_LOUDNESS_SECONDS = 0.05


def find_moments(path: Path, curves: ClipCurves) -> tuple[Moment, ...]:
    """Return what may be the moments of a clip, at most `MOST_MOMENTS`, ascending in time.

    The strongest is the best proposal. A time is the first instant of the picture that is meant. `curves`
    are the measures of its pictures; its sound is read anew.
    """
    strong = {
        MomentCause.MOVEMENT: _movement(curves) / _STRONG_MOVEMENT,
        MomentCause.LIGHT: _light(curves) / _STRONG_LIGHT,
        MomentCause.SOUND: _sound(path, curves) / _STRONG_SOUND,
    }
    level = {cause: curve / max(float(curve.max(initial=0)), 1.0) for cause, curve in strong.items()}
    weight = {cause: _WEIGHTS[cause] for cause in level if strong[cause].any()}
    if not weight:
        return ()
    share = np.stack([level[cause] * weight[cause] for cause in weight]) / sum(weight.values())
    score = share.sum(axis=0)
    causes = list(weight)
    moments = [
        Moment(
            round(float(curves.times[index]), 6),
            round(min(float(score[index]), 1.0), 3),
            causes[int(share[:, index].argmax())],
        )
        for index in _peaks(score, curves.times)
    ]
    return tuple(sorted(moments, key=lambda moment: moment.time))


def _peaks(score: FloatArray, times: FloatArray) -> list[int]:
    """Return the strongest places, none nearer to a stronger one than `_APART_SECONDS`."""
    chosen: list[int] = []
    for index in np.argsort(-score, kind="stable"):
        if score[index] < _LEAST_SCORE or len(chosen) == MOST_MOMENTS:
            break
        if all(abs(times[index] - times[other]) >= _APART_SECONDS for other in chosen):
            chosen.append(int(index))
    return chosen


def _movement(curves: ClipCurves) -> FloatArray:
    """Return how much more each picture differs from the last than those before it did, in levels."""
    change = np.where(curves.is_cut, 0.0, curves.change)
    return _but_for_cuts(_rise(change), curves)


def _light(curves: ClipCurves) -> FloatArray:
    """Return by how much the mean brightness leaps at each picture more than at those before, in levels."""
    return _but_for_cuts(_rise(np.abs(np.diff(curves.brightness, prepend=curves.brightness[:1]))), curves)


def _but_for_cuts(rise: FloatArray, curves: ClipCurves) -> FloatArray:
    """Return a rise without what another take brings with it: nothing happens there."""
    cuts = np.flatnonzero(curves.is_cut)
    rise[np.concatenate([cuts, cuts[cuts + 1 < len(rise)] + 1])] = 0
    return rise


def _rise(curve: FloatArray) -> FloatArray:
    """Return how far each value lies above the largest of the three before it."""
    usual = ndi.maximum_filter1d(curve, 3, origin=1, mode="nearest")
    return np.asarray(np.maximum(curve - np.concatenate([curve[:1], usual[:-1]]), 0.0))


def _sound(path: Path, curves: ClipCurves) -> FloatArray:
    """Return how loud the attacks of the clip's sound are at each picture; zero where it has none."""
    loudness = np.zeros(len(curves.times))
    try:
        samples = read_samples(path)
    except MediaError:
        return loudness
    mono = samples.mono()
    curve = attack_curve(mono, samples.rate)
    if not len(curve):
        return loudness
    is_peak = (curve == ndi.maximum_filter1d(curve, 61)) & (curve > CLEAR_RISE)
    length = round(_LOUDNESS_SECONDS * samples.rate)
    offset = _sound_offset(path, curves.first_seconds)
    for bin_ in np.flatnonzero(is_peak):
        first = round(bin_ / BINS_PER_SECOND * samples.rate)
        after, before = mono[first : first + length], mono[max(0, first - length) : first]
        leap = _rms(after) - _rms(before)
        time = bin_ / BINS_PER_SECOND + offset
        near = np.abs(curves.times - time) <= _SYNC_SECONDS
        near[np.clip(np.searchsorted(curves.times, time, side="right") - 1, 0, len(near) - 1)] = True
        loudness[near] = np.maximum(loudness[near], leap)
    return loudness


def _rms(part: np.ndarray) -> float:
    return float(np.sqrt(np.mean(part**2))) if len(part) else 0.0


def _sound_offset(path: Path, first_seconds: float) -> float:
    """Return when the sound begins, in seconds from the first picture."""
    container = open_container(path)
    with container:
        stream = next(iter(container.streams.audio), None)
        if stream is None or stream.start_time is None or stream.time_base is None:
            return 0.0
        offset = float(stream.start_time * stream.time_base) - first_seconds
    return offset if abs(offset) < 10 else 0.0
