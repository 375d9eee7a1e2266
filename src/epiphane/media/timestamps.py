"""When each picture of a file is shown, read from its packets before anything is decoded."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from msgspec import Struct

from epiphane.errors import MediaError
from epiphane.media.decoding import decoded_frames, open_container, picture_stream
from epiphane.types import IntArray
from epiphane.wording import tr

# Of more pictures with the same time than this share, times are no use.
_MOST_DOUBLED = 0.1
_WITHOUT_SHOWN_TIMES = frozenset(("avi",))


class Timestamps(Struct, frozen=True, eq=False):
    """The presentation times of a stream, in its time base.

    Attributes
    ----------
    stamps : int64, shape (n_pictures,), ascending
    keys : int64, ascending: those of key frames
    is_exact : bool
        Whether frames carry these times, so that they can be sought by; else frames are counted.
    """

    stamps: IntArray
    keys: IntArray
    is_exact: bool


def read_timestamps(stream: av.VideoStream, path: Path) -> Timestamps:
    """Return the times at which the pictures of a stream are shown; its packets are read to the end.

    Raises
    ------
    MediaError
        If it has no times, and no picture that can be decoded.
    """
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
    if not is_complete or not times or n_doubled > len(times) * _MOST_DOUBLED:
        return Timestamps(_times_by_decoding(path), np.zeros(0, np.int64), False)
    stamps = np.array(sorted(times), np.int64)
    if _has_times_of_decoding_only(stream):
        return Timestamps(stamps, np.zeros(0, np.int64), False)
    return Timestamps(stamps, np.array(sorted(keys), np.int64), True)


def without_doubles(stamps: IntArray) -> IntArray:
    """Return ascending stamps so that none is there twice: a doubled one is put between its neighbours.

    Where there is no room between them, in steps of one.

    Parameters
    ----------
    stamps : int64, shape (n,), ascending, in units of the stream's time base

    Returns
    -------
    int64, shape (n,)
    """
    times = stamps.copy()
    for index in np.flatnonzero(np.diff(stamps) == 0) + 1:
        after = times[index + 1] if index + 1 < len(times) else times[index - 1] + 2
        times[index] = max(times[index - 1] + 1, (times[index - 1] + after) // 2)
    return np.asarray(np.maximum.accumulate(times))


def _has_times_of_decoding_only(stream: av.VideoStream) -> bool:
    """Whether pictures are shown in another order than they are stored in, and nothing says in which.

    Its times are right as a whole, one for each picture, but not by picture.
    """
    return stream.container.format.name in _WITHOUT_SHOWN_TIMES and bool(stream.codec_context.has_b_frames)


def _times_by_decoding(path: Path) -> IntArray:
    """Count the pictures of a file without usable timestamps, at its stated rate."""
    container = open_container(path)
    stream = picture_stream(container, path)
    step = 1 / (Fraction(stream.average_rate or stream.guessed_rate or 25) * (stream.time_base or 1))
    n_pictures = sum(1 for _ in decoded_frames(container, stream))
    container.close()
    if n_pictures == 0:
        raise MediaError(
            tr("{name}: no picture in it can be decoded; convert it or leave it out.", name=path.name)
        )
    return np.round(np.arange(n_pictures) * float(step)).astype(np.int64)
