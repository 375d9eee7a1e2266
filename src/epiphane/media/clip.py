"""Footage, frame by frame: exactly the picture that is on screen at an instant.

The table of presentation times is read from the packets first, so variable rates, B-frames and
missing first timestamps are no guesswork; seeking goes to a key frame before the wanted picture
and decodes on, backing off where a container seeks too far. Where a container has times of decoding
only, pictures are counted in the order in which they are shown.
"""

import threading
from collections import OrderedDict
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from epiphane.disk import short_name, why_unreadable
from epiphane.errors import MediaError
from epiphane.media.opening import open_media
from epiphane.media.raw import RawPicture, raw_from_frame
from epiphane.types import FloatArray, IntArray

# Enough that two workers that ask for neighbours in the wrong order never cause a seek.
_KEPT = 8
# A damaged stretch shows the picture before it, for so many pictures.
_MOST_HELD = 250
# Seeking costs as much as decoding this many pictures.
_SEEK_COST = 3
# What the library raises on damaged files; IndexError where a reopened file has lost its stream.
_DAMAGE = (av.FFmpegError, IndexError, ValueError)
# Of more pictures with the same time than this share, times are no use.
_MOST_DOUBLED = 0.1
_WITHOUT_SHOWN_TIMES = frozenset(("avi",))
_BACK_OFF_SECONDS = (0.0, 1.0, 2.0, 4.0)


class Clip:
    """One open file of footage. May be used from several threads; they take turns.

    Parameters
    ----------
    path : Path

    Raises
    ------
    MediaError
        If the file is missing, damaged, or has no picture.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        self._container = open_container(path)
        self._stream = picture_stream(self._container, path)
        self._stream.codec_context.thread_count = 1
        self._missing: set[int] = set()
        self._recent: OrderedDict[int, RawPicture] = OrderedDict()
        self._decoder: Iterator[av.VideoFrame] | None = None
        self._next_index = 0
        try:
            self._stamps, self._keys, self._can_seek = _presentation_times(self._stream, path)
            self._pts = _apart(self._stamps)
            self._first = self._decode_first()
        except (MediaError, *_DAMAGE) as error:
            self.close()
            if isinstance(error, MediaError):
                raise
            raise MediaError(f"{path.name} is damaged; convert it or leave it out.") from None

    @property
    def n_pictures(self) -> int:
        """How many pictures the file holds."""
        return len(self._pts)

    @property
    def times(self) -> FloatArray:
        """Float64, shape (n_pictures,): seconds from the first picture, ascending."""
        return np.asarray((self._pts - self._pts[0]) * float(self._time_base))

    @property
    def duration(self) -> float:
        """Seconds from the first picture to the end of the last, taken as long as the usual one."""
        times = self.times
        usual = float(np.median(np.diff(times))) if len(times) > 1 else 1 / 25
        return float(times[-1]) + usual

    @property
    def rate(self) -> Fraction:
        """Pictures per second on average."""
        stated = self._stream.average_rate or self._stream.guessed_rate
        if self.n_pictures < 2:
            return Fraction(stated or 25)
        measured = (self.n_pictures - 1) / float(self.times[-1])
        if stated and abs(float(stated) / measured - 1) < 0.01:
            return Fraction(stated)
        return Fraction(measured).limit_denominator(1001)

    @property
    def usual_rate(self) -> Fraction:
        """Pictures per second as most of them come: of a varying rate the usual one, not the average."""
        if self.n_pictures < 3:
            return self.rate
        times = self.times
        usual = float(np.median(np.diff(times)))
        average = float(times[-1]) / (len(times) - 1)
        return self.rate if abs(usual / average - 1) < 0.01 else Fraction(1 / usual).limit_denominator(1001)

    @property
    def display_size(self) -> tuple[int, int]:
        """Width and height as they should be seen: upright, with square pixels."""
        width, height = self._first.shape
        return max(1, round(width * self._first.pixel_aspect)), height

    @property
    def has_sound(self) -> bool:
        """Whether the file has a track of sound."""
        return bool(self._container.streams.audio)

    @property
    def n_bytes(self) -> int:
        """Memory that its kept pictures hold."""
        return self._first.n_bytes * (1 + len(self._recent))

    @property
    def has_alpha(self) -> bool:
        """Whether something can be seen through its pictures."""
        return self._first.planes[0].ndim == 3 and self._first.planes[0].shape[2] == 4

    def index_at(self, seconds: float) -> int:
        """Return the index of the picture on screen at an instant of the clip.

        Before the first picture that is the first, after the end the last. Timestamps rounded to
        the file's own clock (a millisecond in some containers) are allowed for.
        """
        slack = min(0.002, max(0.0002, float(self._time_base)))
        tick = (seconds + slack) / float(self._time_base) + float(self._pts[0])
        return int(np.clip(np.searchsorted(self._pts, tick, side="right") - 1, 0, self.n_pictures - 1))

    def read(self, index: int) -> RawPicture:
        """Return one picture; where the file is damaged the last one before it is held.

        Raises
        ------
        MediaError
            If there is none for long before it, or the file is not there any more.
        """
        with self._lock:
            for there in range(index, max(-1, index - _MOST_HELD), -1):
                if there in self._missing:
                    continue
                picture = self._read(there)
                if picture is not None:
                    return picture
                self._missing.add(there)  # it is looked for once
        raise MediaError(f"{self.path.name} is damaged at {self.times[index]:.2f} s.")

    @property
    def n_missing(self) -> int:
        """How many pictures were found by now that the file promises and that cannot be decoded."""
        return len(self._missing)

    def _read(self, index: int) -> RawPicture | None:
        """Return one picture, or None if it cannot be decoded."""
        if index == 0:
            return self._first
        if index in self._recent:
            return self._recent[index]
        if self._is_near(index):
            picture = self._decode_until(index)
            if picture is not None or index in self._missing:
                return picture
        return self._read_after_seek(index)

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            self._decoder = None
            self._container.close()

    @property
    def _time_base(self) -> Fraction:
        return self._stream.time_base or Fraction(1, 1000)

    def _is_near(self, index: int) -> bool:
        """Whether decoding on to a picture is cheaper than seeking to the key frame before it."""
        if self._decoder is None or index < self._next_index:
            return False
        before = np.searchsorted(self._keys, self._pts[index], side="right") - 1
        key = int(np.searchsorted(self._pts, self._keys[before])) if before >= 0 else 0
        return key <= self._next_index + _SEEK_COST or not self._can_seek

    def _decode_first(self) -> RawPicture:
        """Return the first picture that can be decoded; a file cut out of another has some before it."""
        self._restart(None)
        assert self._decoder is not None
        for frame in self._decoder:
            first = self._index_of(frame)
            self._pts, self._stamps = self._pts[first:], self._stamps[first:]
            self._next_index = 1
            return raw_from_frame(frame, pixel_aspect=pixel_aspect(self._stream))
        raise MediaError(f"{self.path.name}: its pictures cannot be decoded; convert it or leave it out.")

    def _read_after_seek(self, index: int) -> RawPicture | None:
        attempts: list[float | None] = [*_BACK_OFF_SECONDS, None] if self._can_seek else [None]
        for back_off in attempts:
            try:
                self._restart(
                    None if back_off is None else int(self._pts[index] - back_off / self._time_base)
                )
                picture = self._decode_until(index)
            except _DAMAGE:
                self._decoder = None
                continue
            if picture is not None or index in self._missing:
                return picture
        return None

    def _restart(self, pts: int | None) -> None:
        """Begin decoding at a key frame at or before `pts`, or at the start of the file."""
        self._decoder = None
        if pts is None or pts <= self._pts[0]:
            # Seeking to the start misses pictures in containers without an index: open anew. What is open
            # stays so where that fails, for the file may be gone or cut short by now.
            fresh = open_container(self.path)
            stream = picture_stream(fresh, self.path)
            self._container.close()
            self._container, self._stream = fresh, stream
            self._stream.codec_context.thread_count = 1
            self._next_index = 0
        else:
            self._container.seek(pts, stream=self._stream, backward=True)
            self._next_index = -1  # known when the first picture has come
        self._decoder = decoded_frames(self._container, self._stream)

    def _decode_until(self, index: int) -> RawPicture | None:
        """Decode on to a picture; None if it was passed already, is missing or broken."""
        assert self._decoder is not None
        for frame in self._decoder:
            here = self._index_of(frame)
            if 0 <= self._next_index < here and self._can_seek:  # passed over: there is nothing to be had
                self._missing.update(range(self._next_index, here))
            self._next_index = here + 1
            if here > index:
                return None
            if here >= index - _KEPT // 2:
                picture = raw_from_frame(frame, pixel_aspect=pixel_aspect(self._stream))
                self._recent[here] = picture
                while len(self._recent) > _KEPT:
                    self._recent.popitem(last=False)
                if here == index:
                    return picture
        self._decoder = None
        return None

    def _index_of(self, frame: av.VideoFrame) -> int:
        if frame.pts is None or not self._can_seek:
            return max(0, self._next_index)
        first = int(np.searchsorted(self._stamps, frame.pts))
        after = int(np.searchsorted(self._stamps, frame.pts, side="right"))
        # Of pictures with the same stamp, the one that comes next.
        return min(max(first, self._next_index), after - 1) if after - first > 1 else first


def open_container(path: Path) -> av.container.InputContainer:
    """Open a file.

    Raises
    ------
    MediaError
        If it is missing, or nothing that can be decoded.
    """
    if reason := why_unreadable(path):
        raise MediaError(f"{short_name(path)} {reason}; put it back or replace it.")
    try:
        return open_media(path)
    except (av.FFmpegError, ValueError):
        raise MediaError(f"{path.name} is damaged or no video; convert it or leave it out.") from None


def picture_stream(container: av.container.InputContainer, path: Path) -> av.VideoStream:
    """Return the first stream of moving pictures that can be decoded; a cover is none.

    Raises
    ------
    MediaError
        If there is none; the container is closed then.
    """
    moving = [s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
    for stream in moving:
        if stream.codec_context is not None:
            return stream
    container.close()
    if moving:
        raise MediaError(f"{path.name}: its pictures cannot be decoded; convert it or leave it out.")
    raise MediaError(f"{path.name} has no picture in it; it can be a song, but not footage.")


def pixel_aspect(stream: av.VideoStream) -> float:
    """Return the width of a pixel by its height."""
    return float(stream.sample_aspect_ratio or 1) or 1.0


def decoded_frames(container: av.container.InputContainer, stream: av.VideoStream) -> Iterator[av.VideoFrame]:
    """Decode on over broken packets, and give out what the decoder holds at the end."""
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except (StopIteration, EOFError):
            return
        except av.FFmpegError:
            return
        try:
            yield from packet.decode()
        except av.FFmpegError:
            continue


def _presentation_times(stream: av.VideoStream, path: Path) -> tuple[IntArray, IntArray, bool]:
    """Return ascending times in the stream's time base, those of key frames, and whether to seek by them."""
    times: list[int] = []
    keys: list[int] = []
    is_complete = True
    container = stream.container
    assert isinstance(container, av.container.InputContainer)
    try:
        for packet in container.demux(stream):
            if packet.size == 0 or packet.is_discard:
                continue
            if packet.pts is None:
                is_complete = False
                break
            times.append(packet.pts)
            if packet.is_keyframe:
                keys.append(packet.pts)
    except av.FFmpegError:  # cut short: what came before counts
        pass
    n_doubled = len(times) - len(set(times))
    if is_complete and times and n_doubled <= len(times) * _MOST_DOUBLED:
        stamps, ascending_keys = np.array(sorted(times), np.int64), np.array(sorted(keys), np.int64)
        if not _has_times_of_decoding_only(stream):
            return stamps, ascending_keys, True
        return stamps, np.zeros(0, np.int64), False
    return _times_by_decoding(path), np.zeros(0, np.int64), False


def _has_times_of_decoding_only(stream: av.VideoStream) -> bool:
    """Whether pictures are shown in another order than they are stored in, and nothing says in which.

    Its times are right as a whole, one for each picture, but not by picture.
    """
    return stream.container.format.name in _WITHOUT_SHOWN_TIMES and bool(stream.codec_context.has_b_frames)


def _apart(stamps: IntArray) -> IntArray:
    """Return ascending stamps so that none is there twice: a doubled one is put between its neighbours.

    Where there is no room between them, in steps of one.
    """
    times = stamps.copy()
    for index in np.flatnonzero(np.diff(stamps) == 0) + 1:
        after = times[index + 1] if index + 1 < len(times) else times[index - 1] + 2
        times[index] = max(times[index - 1] + 1, (times[index - 1] + after) // 2)
    return np.asarray(np.maximum.accumulate(times))


def _times_by_decoding(path: Path) -> IntArray:
    """Count the pictures of a file without usable timestamps, at its stated rate."""
    container = open_container(path)
    stream = picture_stream(container, path)
    step = 1 / (Fraction(stream.average_rate or stream.guessed_rate or 25) * (stream.time_base or 1))
    n_pictures = sum(1 for _ in decoded_frames(container, stream))
    container.close()
    if n_pictures == 0:
        raise MediaError(f"{path.name}: no picture in it can be decoded; convert it or leave it out.")
    return np.round(np.arange(n_pictures) * float(step)).astype(np.int64)
