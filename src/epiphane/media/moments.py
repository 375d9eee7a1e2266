"""The moments of a clip: where something suddenly moves, flares up or is struck.

Three curves, a value a picture: how much more the picture changes than just before, how much its
brightness leaps, and how loud an attack of the clip's own sound is. What the three say together is
ranked.
"""

from pathlib import Path

import av
import cv2
import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.attack import BINS_PER_SECOND, CLEAR_RISE, attack_curve
from epiphane.audio.samples import read_samples
from epiphane.document.model import Moment, MomentCause
from epiphane.errors import MediaError
from epiphane.media.decoding import decoded_frames, open_container, picture_stream
from epiphane.media.raw import plane_rows
from epiphane.types import FloatArray, Plane, Progress, Size, ignore_progress

MOST_MOMENTS = 8
_SMALL_WIDTH = 160
# Levels of 255 and shares of full scale from which a change is a strong one whatever else the clip has.
_STRONG_MOVEMENT, _STRONG_LIGHT, _STRONG_SOUND = 2.0, 2.0, 0.1
_WEIGHTS = {MomentCause.MOVEMENT: 0.4, MomentCause.LIGHT: 0.25, MomentCause.SOUND: 0.35}
_LEAST_SCORE = 0.12
_APART_SECONDS = 0.3
# Sound and picture of one knock are rarely more than this apart.
_SYNC_SECONDS = 0.045
_LOUDNESS_SECONDS = 0.05
# Below this, two pictures have nothing in common: that is a cut within the clip, and nothing moved.
_CUT_CORRELATION, _CUT_CHANGE = 0.4, 12.0


class _Pictures(Struct, frozen=True, eq=False):
    """Every picture of a clip, small and grey, and when it comes on screen."""

    grey: np.ndarray
    times: FloatArray
    first_seconds: float


def find_moments(path: Path, *, progress: Progress = ignore_progress) -> tuple[Moment, ...]:
    """Return what may be the moments of a clip, at most `MOST_MOMENTS`, ascending in time.

    The strongest is the best proposal. A time is the first instant of the picture that is meant.

    Raises
    ------
    MediaError
        If the clip is missing or damaged.
    """
    pictures = _read_small(path, progress)
    curves = {
        MomentCause.MOVEMENT: _movement(pictures.grey) / _STRONG_MOVEMENT,
        MomentCause.LIGHT: _light(pictures.grey) / _STRONG_LIGHT,
        MomentCause.SOUND: _sound(path, pictures) / _STRONG_SOUND,
    }
    level = {cause: curve / max(float(curve.max(initial=0)), 1.0) for cause, curve in curves.items()}
    weight = {cause: _WEIGHTS[cause] for cause in level if curves[cause].any()}
    if not weight:
        return ()
    share = np.stack([level[cause] * weight[cause] for cause in weight]) / sum(weight.values())
    score = share.sum(axis=0)
    causes = list(weight)
    moments = [
        Moment(
            round(float(pictures.times[index]), 6),
            round(min(float(score[index]), 1.0), 3),
            causes[int(share[:, index].argmax())],
        )
        for index in _peaks(score, pictures.times)
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


def _movement(grey: np.ndarray) -> FloatArray:
    """Return how much more each picture differs from the last than those before it did, in levels."""
    change = np.zeros(len(grey))
    for index in range(1, len(grey)):
        change[index] = cv2.absdiff(grey[index], grey[index - 1]).mean()
    if len(change) > 1:
        change[0] = change[1]  # nothing is known of what came before the first picture
    cuts = _cuts(grey, change)
    change[cuts] = 0
    usual = ndi.maximum_filter1d(change, 3, origin=1, mode="nearest")
    before = np.concatenate([change[:1], usual[:-1]])
    rise = np.maximum(change - before, 0.0)
    rise[[*cuts, *(cut + 1 for cut in cuts if cut + 1 < len(rise))]] = 0
    return np.asarray(rise)


def _cuts(grey: np.ndarray, change: FloatArray) -> list[int]:
    """Return the pictures that have nothing in common with the one before them, nor have their neighbours."""
    cuts = []
    for index in np.flatnonzero(change > _CUT_CHANGE).tolist():
        before, here = grey[index - 1].astype(np.float32), grey[index].astype(np.float32)
        if _correlation(before, here) < _CUT_CORRELATION:
            after = grey[min(index + 1, len(grey) - 1)].astype(np.float32)
            if _correlation(before, after) < _CUT_CORRELATION:  # a flash goes, another place stays
                cuts.append(index)
    return cuts


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    one, other = one - one.mean(), other - other.mean()
    return float((one * other).sum() / (np.sqrt((one**2).sum() * (other**2).sum()) + 1e-6))


def _light(grey: np.ndarray) -> FloatArray:
    """Return by how much the mean brightness leaps at each picture more than at those before, in levels."""
    step = np.abs(np.diff(grey.mean(axis=(1, 2)), prepend=grey[:1].mean()))
    usual = ndi.maximum_filter1d(step, 3, origin=1, mode="nearest")
    return np.asarray(np.maximum(step - np.concatenate([step[:1], usual[:-1]]), 0.0))


def _sound(path: Path, pictures: _Pictures) -> FloatArray:
    """Return how loud the attacks of the clip's sound are at each picture; zero where it has none."""
    loudness = np.zeros(len(pictures.times))
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
    offset = _sound_offset(path, pictures.first_seconds)
    for bin_ in np.flatnonzero(is_peak):
        first = round(bin_ / BINS_PER_SECOND * samples.rate)
        after, before = mono[first : first + length], mono[max(0, first - length) : first]
        leap = _rms(after) - _rms(before)
        time = bin_ / BINS_PER_SECOND + offset
        near = np.abs(pictures.times - time) <= _SYNC_SECONDS
        near[np.clip(np.searchsorted(pictures.times, time, side="right") - 1, 0, len(near) - 1)] = True
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


def _read_small(path: Path, progress: Progress) -> _Pictures:
    container = open_container(path)
    stream = picture_stream(container, path)
    # Nothing of this is shown: smoothing blocks may be left out, and pictures may come from two threads.
    stream.codec_context.options = {"skip_loop_filter": "all"}
    stream.codec_context.thread_type = "AUTO"
    stream.codec_context.thread_count = 2
    base = float(stream.time_base or 1 / 1000)
    step = 1 / float(stream.average_rate or stream.guessed_rate or 25)
    length = float((stream.duration or 0) * base)
    grey: list[Plane] = []
    times: list[float] = []
    with container:
        for frame in decoded_frames(container, stream):
            time = frame.pts * base if frame.pts is not None else (times[-1] + step if times else 0.0)
            grey.append(_small_grey(frame))
            times.append(time)
            if length and len(times) % 16 == 0:
                progress(min(1.0, (time - times[0]) / length))
    if not times:
        raise MediaError(f"{path.name}: no picture in it can be decoded; convert it or leave it out.")
    # Pictures come in the order in which they are shown, whatever a container without such times says.
    seconds = np.sort(np.array(times))
    size = grey[0].shape[1], grey[0].shape[0]  # a clip may change that of its pictures on the way
    alike = [plane if plane.shape == grey[0].shape else _resized(plane, size) for plane in grey]
    return _Pictures(np.stack(alike), seconds - seconds[0], float(seconds[0]))


def _resized(plane: Plane, size: Size) -> Plane:
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.uint8)


def _small_grey(frame: av.VideoFrame) -> Plane:
    """Return the picture's luma, some 160 pixels wide; halving is quick and mixes all pixels."""
    if frame.format.name.startswith(("yuv", "nv", "gray")) and frame.format.components[0].bits == 8:
        plane = frame.planes[0]
        luma = plane_rows(plane)[: plane.height, : plane.width]
    else:
        luma = np.asarray(frame.to_ndarray(format="gray"), np.uint8)
    height, width = luma.shape
    while width >= 2 * _SMALL_WIDTH and height >= 2:
        width, height = width // 2, height // 2
        luma = np.asarray(cv2.resize(luma, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)
    return np.ascontiguousarray(luma)
