"""Footage, frame by frame: exactly the picture that is on screen at an instant.

The table of presentation times is read from the packets first, so variable rates, B-frames and
missing first timestamps are no guesswork; seeking goes to a key frame before the wanted picture
and decodes on, backing off where a container seeks too far. Where a container has times of decoding
only, pictures are counted in the order in which they are shown.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from epiphane.errors import CancelledError, MediaError
from epiphane.lru import LruCache
from epiphane.media.alpha import is_premultiplied
from epiphane.media.decoding import decoded_frames, open_container, picture_stream, pixel_aspect
from epiphane.media.raw import RawPicture, raw_from_frame, treatments_of
from epiphane.media.timestamps import read_timestamps, without_doubles
from epiphane.types import FloatArray
from epiphane.wording import tr

# Enough that two workers that ask for neighbours in the wrong order never cause a seek.
_KEPT = 8
# A damaged stretch shows the picture before it, for so many pictures.
_MOST_HELD = 250
# Seeking costs as much as decoding this many pictures.
_SEEK_COST = 3
# Opening a file anew takes as long as decoding several pictures.
_INDEXED = frozenset(("mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm"))
# Codecs of video, whose grey is coded from 16 to 235 unless they say otherwise.
_LIMITED_GREY_CODECS = frozenset(("h264", "hevc", "vp9", "av1", "libdav1d", "mpeg4", "mpeg2video"))
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
        self._is_stopped = False
        self._is_interlaced = self._is_premultiplied = False
        self.treatments: tuple[str, ...] = ()
        """What is done to its pictures so that they look right here, for people: a few words each."""
        self._recent: LruCache[int, RawPicture] = LruCache(_KEPT)
        self._decoder: Iterator[av.VideoFrame] | None = None
        self._next_index = 0
        try:
            timestamps = read_timestamps(self._stream, path)
            self._stamps, self._keys, self._can_seek = timestamps.stamps, timestamps.keys, timestamps.is_exact
            self._pts = without_doubles(self._stamps)
            self._first = self._decode_first()
            self._look_at_alpha()
        except (MediaError, *_damage()) as error:
            self.close()
            if isinstance(error, MediaError):
                raise
            raise MediaError(tr("{name} is damaged; convert it or leave it out.", name=path.name)) from None

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

        Parameters
        ----------
        seconds : float, from the first picture

        Returns
        -------
        int, 0 to ``n_pictures - 1``
        """
        slack = min(0.002, max(0.0002, float(self._time_base)))
        tick = (seconds + slack) / float(self._time_base) + float(self._pts[0])
        return int(np.clip(np.searchsorted(self._pts, tick, side="right") - 1, 0, self.n_pictures - 1))

    def share_at(self, seconds: float, index: int) -> float:
        """Return how far on the way from a picture to the next one an instant is, 0 to 1; 0 at the last."""
        if index + 1 >= self.n_pictures:
            return 0.0
        first, following = (float(self._pts[n] - self._pts[0]) for n in (index, index + 1))
        share = (seconds / float(self._time_base) - first) / (following - first)
        return min(max(share, 0.0), 1.0)

    def read(self, index: int) -> RawPicture:
        """Return one picture; where the file is damaged the last one before it is held.

        Raises
        ------
        MediaError
            If there is none for long before it, or the file is not there any more.
        CancelledError
            If the clip was stopped, or closed while another thread waited for it.
        """
        with self._lock:
            if self._is_stopped:
                raise CancelledError("stopped")
            for there in range(index, max(-1, index - _MOST_HELD), -1):
                if there in self._missing:
                    continue
                picture = self._read(there)
                if picture is not None:
                    return picture
                self._missing.add(there)  # it is looked for once
        raise MediaError(
            tr("{name} is damaged at {times:.2f} s.", name=self.path.name, times=self.times[index])
        )

    @property
    def n_missing(self) -> int:
        """How many pictures were found by now that the file promises and that cannot be decoded."""
        return len(self._missing)

    def _read(self, index: int) -> RawPicture | None:
        """Return one picture, or None if it cannot be decoded."""
        if index == 0:
            return self._first
        if (recent := self._recent.get(index)) is not None:
            return recent
        if self._is_near(index):
            picture = self._decode_until(index)
            if picture is not None or index in self._missing:
                return picture
        return self._read_after_seek(index)

    def stop(self) -> None:
        """Have what reads a picture, in whichever thread, raise `CancelledError` soon."""
        self._is_stopped = True

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            self._is_stopped = True
            self._decoder = None
            self._container.close()

    def _raw(self, frame: av.VideoFrame) -> RawPicture:
        return raw_from_frame(
            frame,
            pixel_aspect=pixel_aspect(self._stream),
            is_grey_limited=self._stream.codec_context.name in _LIMITED_GREY_CODECS,
            is_premultiplied=self._is_premultiplied,
        )

    def __del__(self) -> None:
        """Close the file when nobody holds the clip any more: its decoder takes megabytes until then."""
        container = getattr(self, "_container", None)
        if container is not None:
            container.close()

    @property
    def _is_indexed(self) -> bool:
        """Whether the file has an index of its pictures, so that seeking to the first one finds it."""
        return self._can_seek and self._container.format.name in _INDEXED

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
        self._restart(int(self._pts[0]))
        assert self._decoder is not None
        for frame in self._decoder:
            if frame.interlaced_frame and not self._is_interlaced:
                self._is_interlaced = True
                return self._decode_first()
            first = self._index_of(frame)
            self._pts, self._stamps = self._pts[first:], self._stamps[first:]
            self._next_index = 1
            self.treatments = treatments_of(frame, is_interlaced=self._is_interlaced)
            return self._raw(frame)
        raise MediaError(
            tr("{name}: its pictures cannot be decoded; convert it or leave it out.", name=self.path.name)
        )

    def _look_at_alpha(self) -> None:
        """Find out how colours go with alpha, and read the first picture again where they are multiplied."""
        if self.has_alpha and is_premultiplied(self.path, self.times):
            self._is_premultiplied = True
            self._first = self._decode_first()
            self.treatments = (*self.treatments, "premultiplied alpha")

    def _read_after_seek(self, index: int) -> RawPicture | None:
        attempts: list[float | None] = [*_BACK_OFF_SECONDS, None] if self._can_seek else [None]
        for back_off in attempts:
            try:
                # Deinterlacing looks at the picture before, so that one is decoded too.
                wanted = self._pts[max(0, index - self._is_interlaced)]
                self._restart(None if back_off is None else int(wanted - back_off / self._time_base))
                picture = self._decode_until(index)
            except _damage():
                self._decoder = None
                continue
            if picture is not None or index in self._missing:
                return picture
        return None

    def _restart(self, pts: int | None) -> None:
        """Begin decoding at a key frame at or before `pts`, or at the start of the file."""
        self._decoder = None
        if pts is not None and pts <= self._pts[0] and self._is_indexed:
            self._container.seek(int(self._pts[0]), stream=self._stream, backward=True)
            self._next_index = -1
        elif pts is None or pts <= self._pts[0]:
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
        self._decoder = decoded_frames(self._container, self._stream, deinterlaced=self._is_interlaced)

    def _decode_until(self, index: int) -> RawPicture | None:
        """Decode on to a picture; None if it was passed already, is missing or broken."""
        assert self._decoder is not None
        for frame in self._decoder:
            if self._is_stopped:
                raise CancelledError("stopped")
            here = self._index_of(frame)
            if 0 <= self._next_index < here and self._can_seek:  # passed over: there is nothing to be had
                self._missing.update(range(self._next_index, here))
            self._next_index = here + 1
            if here > index:
                return None
            if here >= index - _KEPT // 2:
                picture = self._raw(frame)
                self._recent.put(here, picture)
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


def _damage() -> tuple[type[av.FFmpegError], type[IndexError], type[ValueError]]:
    """Return what the library raises on damaged files; IndexError where a file lost its stream."""
    return av.FFmpegError, IndexError, ValueError
