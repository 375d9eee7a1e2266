"""Per-frame measurements of a clip in one decoding pass: motion, brightness, sharpness.

Pictures are looked at small and in grey, and none is kept: the length of a clip takes no memory.
"""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.errors import MediaError
from epiphane.media.decoding import decoded_frames, open_container, picture_stream
from epiphane.media.raw import plane_rows
from epiphane.types import FloatArray, Plane, Progress, Size, ignore_progress
from epiphane.wording import tr

_SMALL_WIDTH = 160
_SHIFT_SIZE = (64, 36)
# Below the first, two pictures have nothing in common: that is a cut within the clip, and nothing moved. From
# the second on they show the same, whatever moves in it.
_CUT_CORRELATION, _SAME_CORRELATION, _CUT_CHANGE = 0.4, 0.8, 12.0
_JUMP = 2.5
# Pictures whose shift is found with less certainty than this have none that means anything.
_LEAST_RESPONSE, _MOVED_RESPONSE = 0.15, 0.35
_PLAIN_LEVELS = 5
# Of which pictures the movement is looked at, and how much of what has edges must go the same way.
_FLOW_EVERY, _LEAST_FLOW_SIZE, _LEAST_AGREEMENT = 4, 16, 0.5


class ClipCurves(Struct, frozen=True, eq=False):
    """Measures of every picture of a clip, float64 of shape (n_pictures,) where nothing else is said.

    Attributes
    ----------
    times : seconds from the first picture, ascending
    first_seconds : float
        When the first picture is shown, by the clock of the file.
    change : mean difference to the picture before, levels of 255; that of the first is the second's
    is_cut : bool
        Whether it has nothing in common with the picture before it.
    brightness, contrast : mean and standard deviation, levels
    sharpness : mean difference of neighbouring pixels of the small picture, levels
    plainness : share of the pixels that have the most frequent level, or nearly
    shift : shape (n_pictures, 2)
        How far the whole picture has moved from the one before, in shares of its width.
    flow : shape (n_pictures, 2)
        How far most of what has edges has moved since the picture before, in shares of the width; NaN
        where it was not looked at, 0 where parts move different ways.
    look : shape (n_pictures, 3)
        Mean Y, Cb and Cr; where the file has no Y'CbCr, the last two are 128.
    damaged : float
        The share of the pictures that the file promises and that cannot be decoded.
    """

    times: FloatArray
    first_seconds: float
    change: FloatArray
    is_cut: np.ndarray
    brightness: FloatArray
    contrast: FloatArray
    sharpness: FloatArray
    plainness: FloatArray
    shift: FloatArray
    flow: FloatArray
    look: FloatArray
    damaged: float = 0.0


def measure_clip(path: Path, *, progress: Progress = ignore_progress) -> ClipCurves:
    """Return the measures of a clip.

    Raises
    ------
    MediaError
        If the clip is missing or damaged.
    """
    container = open_container(path)
    stream = picture_stream(container, path)
    # Nothing of this is shown: smoothing blocks may be left out, and pictures may come from two threads.
    stream.codec_context.options = {"skip_loop_filter": "all"}
    stream.codec_context.thread_type = "AUTO"
    stream.codec_context.thread_count = 2
    base = float(stream.time_base or 1 / 1000)
    step = 1 / float(stream.average_rate or stream.guessed_rate or 25)
    length = float((stream.duration or 0) * base)
    measuring = _Measuring()
    times: list[float] = []
    with container:
        for frame in decoded_frames(container, stream):
            times.append(frame.pts * base if frame.pts is not None else (times[-1] + step if times else 0.0))
            measuring.add(_small_grey(frame), _chroma(frame))
            if length and len(times) % 16 == 0:
                progress(min(1.0, (times[-1] - times[0]) / length))
        n_promised = stream.frames or _n_packets(path)
    if not times:
        raise MediaError(
            tr("{name}: no picture in it can be decoded; convert it or leave it out.", name=path.name)
        )
    # Pictures come in the order in which they are shown, whatever a container without such times says.
    seconds = np.sort(np.array(times))
    return measuring.curves(seconds, damaged=max(0.0, 1 - len(times) / n_promised) if n_promised else 0.0)


def _n_packets(path: Path) -> int:
    """Return how many pictures a file without a count holds, whole or not."""
    container = open_container(path)
    with container:
        packets = container.demux(picture_stream(container, path))
        n_packets = 0
        try:
            n_packets += sum(1 for packet in packets if packet.size and not packet.is_discard)
        except av.FFmpegError:
            return n_packets  # cut short: what comes after is not promised
    return n_packets


class _Waiting(Struct, frozen=True, eq=False):
    """A picture that may be the first after a cut: the next one tells.

    `before` is the picture before it, and what comes next may be no more than `most_alike` to that one.
    """

    before: Plane
    change: float
    most_alike: float
    is_clear: bool


class _Measuring:
    """Measures pictures one after the other."""

    def __init__(self) -> None:
        self._size: Size | None = None
        self._last: Plane | None = None
        self._waiting: _Waiting | None = None
        self._last_small: np.ndarray | None = None
        self._window = cv2.createHanningWindow(_SHIFT_SIZE, cv2.CV_32F)
        self._rows: list[tuple[float, ...]] = []
        self._cuts: list[int] = []
        self._dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)

    def add(self, grey: Plane, chroma: tuple[float, float]) -> None:
        """Measure the next picture."""
        if self._size is None:
            self._size = grey.shape[1], grey.shape[0]
        if (grey.shape[1], grey.shape[0]) != self._size:  # a clip may change that of its pictures on the way
            grey = np.asarray(cv2.resize(grey, self._size, interpolation=cv2.INTER_AREA), np.uint8)
        change = 0.0 if self._last is None else float(cv2.absdiff(grey, self._last).mean())
        small = cv2.resize(grey, _SHIFT_SIZE, interpolation=cv2.INTER_AREA).astype(np.float32)
        across, down, certainty = self._shift(small) if change > 0 else (0.0, 0.0, 1.0)
        self._look_for_cut(grey, change, is_moved=certainty > _MOVED_RESPONSE)
        mean, deviation = cv2.meanStdDev(grey)
        brightness = float(mean[0, 0])
        self._rows.append(
            (
                change,
                brightness,
                float(deviation[0, 0]),
                _steps(grey),
                _plainness(grey),
                across,
                down,
                brightness,
                *chroma,
                *self._flowed(grey),
            )
        )
        self._last, self._last_small = grey, small

    def curves(self, seconds: FloatArray, *, damaged: float) -> ClipCurves:
        """Return what was measured; `seconds` are the times of the pictures."""
        rows = np.array(self._rows)
        change = rows[:, 0].copy()
        if len(change) > 1:
            change[0] = change[1]  # nothing is known of what came before the first picture
        is_cut = np.zeros(len(rows), bool)
        is_last_cut = self._waiting is not None and self._waiting.is_clear
        is_cut[[*self._cuts, *([len(rows) - 1] if is_last_cut else [])]] = True
        return ClipCurves(
            times=seconds - seconds[0],
            first_seconds=float(seconds[0]),
            change=change,
            is_cut=is_cut,
            brightness=rows[:, 1],
            contrast=rows[:, 2],
            sharpness=rows[:, 3],
            plainness=rows[:, 4],
            shift=rows[:, 5:7],
            look=rows[:, 7:10],
            flow=rows[:, 10:12],
            damaged=damaged,
        )

    def _flowed(self, grey: Plane) -> tuple[float, float]:
        """Return how far what has edges has moved since the picture before, of every few pictures."""
        if self._last is None or len(self._rows) % _FLOW_EVERY or min(grey.shape) < _LEAST_FLOW_SIZE:
            return np.nan, np.nan
        start = np.zeros((*grey.shape, 2), np.float32)
        return dominant_flow(np.asarray(self._dis.calc(self._last, grey, start)), grey)

    def _look_for_cut(self, grey: Plane, change: float, *, is_moved: bool) -> None:
        """Note a picture that has little in common with the one before it, and so has the one after it.

        Where they have something in common, it must change much more there than just before and after. One
        that is the picture before it, but moved as a whole, is no cut.
        """
        waiting, self._waiting = self._waiting, None
        if waiting is not None:
            is_back = _correlation(waiting.before, grey) >= waiting.most_alike  # a flash goes
            if not is_back and (waiting.is_clear or waiting.change > _JUMP * change):
                self._cuts.append(len(self._rows) - 1)
            if is_back:
                return
        if self._last is None or change <= _CUT_CHANGE or is_moved:
            return
        alike, before = _correlation(self._last, grey), self._rows[-1][0]
        is_clear = alike < _CUT_CORRELATION
        if is_clear or (alike < _SAME_CORRELATION and change > _JUMP * before):
            most_alike = _CUT_CORRELATION if is_clear else _SAME_CORRELATION
            self._waiting = _Waiting(self._last, change, most_alike, is_clear)

    def _shift(self, small: np.ndarray) -> tuple[float, float, float]:
        """Return how far the picture has moved across and down, and how certain that is, 0 to about 1."""
        if self._last_small is None:
            return 0.0, 0.0, 0.0
        (across, down), response = cv2.phaseCorrelate(self._last_small, small, self._window)
        if response < _LEAST_RESPONSE:
            return 0.0, 0.0, response
        return across / _SHIFT_SIZE[0], down / _SHIFT_SIZE[0], response


def dominant_flow(flow: np.ndarray, picture: Plane) -> tuple[float, float]:
    """Return how far most of what has edges moves, in shares of the width; 0 where it does not agree.

    The median where the gradient is above its own median, as plain parts tell nothing.

    Parameters
    ----------
    flow : float32, shape (height, width, 2), pixels
    picture : uint8, shape (height, width)
    """
    across, down = (cv2.Sobel(picture, cv2.CV_32F, *order) for order in ((1, 0), (0, 1)))
    steep = np.abs(across) + np.abs(down)
    moved = flow[steep > np.median(steep)]
    if len(moved) == 0:
        return 0.0, 0.0
    middle = np.median(moved, axis=0)
    length = float(np.hypot(*middle))
    if length == 0:
        return 0.0, 0.0
    agreement = float((np.hypot(*(moved - middle).T) < 0.5 * length + 0.1).mean())
    share = middle / picture.shape[1] if agreement >= _LEAST_AGREEMENT else np.zeros(2)
    return float(share[0]), float(share[1])


def _correlation(one: Plane, other: Plane) -> float:
    first, second = one.astype(np.float32), other.astype(np.float32)
    first, second = first - first.mean(), second - second.mean()
    return float((first * second).sum() / (np.sqrt((first**2).sum() * (second**2).sum()) + 1e-6))


def _steps(grey: Plane) -> float:
    """Return the mean difference of neighbouring pixels, levels."""
    if min(grey.shape) < 2:
        return 0.0
    across = cv2.absdiff(np.ascontiguousarray(grey[:, 1:]), np.ascontiguousarray(grey[:, :-1])).mean()
    return float(across + cv2.absdiff(grey[1:], grey[:-1]).mean()) / 2


def _plainness(grey: Plane) -> float:
    counts = np.bincount(grey.ravel(), minlength=256)
    return float(np.convolve(counts, np.ones(_PLAIN_LEVELS), "same").max() / grey.size)


def _chroma(frame: av.VideoFrame) -> tuple[float, float]:
    """Return the mean Cb and Cr, levels; every eighth row is enough."""
    if not frame.format.name.startswith("yuv") or frame.format.components[0].bits != 8:
        return 128.0, 128.0
    blue, red = (plane_rows(plane)[: plane.height : 8, : plane.width].mean() for plane in frame.planes[1:3])
    return float(blue), float(red)


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
