"""Decoding the sound of a file to an array."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import av
import numpy as np
import soxr
from msgspec import Struct

from epiphane.audio.mapped_array import ArrayBuilder, in_blocks
from epiphane.disk import open_regular, short_name, why_unreadable
from epiphane.errors import DiskError, MediaError
from epiphane.media.opening import open_media
from epiphane.timing import clock_text, seconds_to_sample
from epiphane.types import Float32Array, Progress, ignore_progress
from epiphane.wording import tr

if TYPE_CHECKING:
    from collections.abc import Iterator

LONGEST_SECONDS = 3 * 3600
# Sound that stops this much before its file says was cut off.
_TRUNCATED_SECONDS = 0.5
# Streams of bare packets, and an MP3's largest first frame.
_WITHOUT_LENGTH = frozenset(("aac", "ac3", "eac3", "dts", "amr", "loas", "mpegts", "mpeg"))
_FIRST_FRAME_BYTES = 2048
_GAP_SECONDS, _LONGEST_GAP_SECONDS = 0.03, 300.0


class Samples(Struct, frozen=True, eq=False):
    """Sound in memory.

    Attributes
    ----------
    data : float32, shape (n_samples, n_channels), nominally in [-1, 1]
    rate : int, samples / second
    remark : str
        What is odd about the file, in a sentence, or nothing.
    """

    data: Float32Array
    rate: int
    remark: str = ""

    @property
    def duration(self) -> float:
        """Length in seconds."""
        return len(self.data) / self.rate

    def mono(self) -> Float32Array:
        """Return the mean of the channels, float32, shape (n_samples,)."""
        rows = ArrayBuilder()
        for block in in_blocks(self.data):
            total = block[:, 0].astype(np.float32)  # a copy; a mean over rows of two takes six times as long
            for channel in block.T[1:]:
                total += channel
            total /= np.float32(block.shape[1])
            rows.add(total)
        return rows.array()


def read_samples(path: Path, *, progress: Progress = ignore_progress) -> Samples:
    """Return the sound of an audio or video file at its own rate, mono or stereo.

    More than two channels are mixed down to stereo. Values that are no numbers become silence.

    Raises
    ------
    MediaError
        If the file is missing, damaged, has no sound, or is longer than `LONGEST_SECONDS`.
    """
    if reason := why_unreadable(path):
        raise MediaError(
            tr(
                "{name} {reason}; put it back or choose another song.",
                name=short_name(path),
                reason=reason,
            )
        )
    if path.stat().st_size == 0:
        raise MediaError(tr("{name} is empty; choose another song.", name=path.name))
    try:
        with open_media(path) as container:
            streams = [stream for stream in container.streams.audio if stream.codec_context is not None]
            if not streams:
                raise MediaError(
                    tr("{name} has no sound in it; choose a song or a video with sound.", name=path.name)
                )
            stream = streams[0]
            stated = _duration_in_riff_header(path) or _stated_duration(container, stream)
            is_exact = _says_its_length(path, container.format.name)
            if is_exact:
                _check_length(stated, path)
            rows = ArrayBuilder(1 if stream.codec_context.channels == 1 else 2)
            for block in _blocks(container, stream, stated, path, progress):
                rows.add(_sane(block))
            rate = stream.codec_context.sample_rate
    except (av.FFmpegError, ValueError):
        raise MediaError(
            tr("{name} is damaged or no sound file; convert it or choose another.", name=path.name)
        ) from None
    except DiskError as error:
        raise MediaError(tr("{name} is too long: {error}", name=path.name, error=error)) from None
    if not len(rows) or not rate:
        raise MediaError(
            tr("{name}: no sound in it can be decoded; convert it or choose another.", name=path.name)
        )
    data = rows.array()
    remark = ""
    if is_exact and stated and len(data) / rate < stated - _TRUNCATED_SECONDS:
        remark = (
            f"{path.name} breaks off after {clock_text(len(data) / rate)}"
            f" though it says {clock_text(stated)}; what is there is used."
        )
    return Samples(data, rate, remark)


def resampled_stereo(samples: Samples, rate: int) -> Float32Array:
    """Return the sound as float32, shape (n_samples, 2), at another rate.

    Parameters
    ----------
    samples : Samples
    rate : int, samples / second

    Returns
    -------
    float32, shape (n_samples, 2)
        The very array where nothing has to change: do not write to it. One channel goes to both.
    """
    data = samples.data
    if samples.rate == rate and data.shape[1] == 2:
        return np.ascontiguousarray(data)
    rows = ArrayBuilder(2)
    for block in resampled_blocks(data, samples.rate, rate):
        rows.add(np.repeat(block, 2, axis=1) if data.shape[1] == 1 else block)
    return rows.array()


def resampled_blocks(
    data: Float32Array, rate: int, to_rate: int, *, quality: str = "HQ"
) -> Iterator[Float32Array]:
    """Yield sound at another rate, block by block, float32, shape (n, n_channels).

    Parameters
    ----------
    data : float32, shape (n_samples, n_channels)
    rate, to_rate : int, samples / second
    quality : str
        Of libsoxr: "HQ", or "MQ" where only features are read from it.
    """
    if rate == to_rate:
        yield from in_blocks(data)
        return
    stream = soxr.ResampleStream(rate, to_rate, data.shape[1], dtype="float32", quality=quality)
    for block in in_blocks(data):
        yield np.asarray(stream.resample_chunk(np.ascontiguousarray(block)), np.float32)
    yield np.asarray(stream.resample_chunk(np.zeros((0, data.shape[1]), np.float32), last=True), np.float32)


def _sane(block: Float32Array) -> Float32Array:
    """Return sound without what a broken file of floats may hold; +12 dB is no music."""
    finite = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
    return np.clip(finite, -4.0, 4.0, out=finite)


def _blocks(
    container: av.container.InputContainer,
    stream: av.AudioStream,
    stated: float,
    path: Path,
    progress: Progress,
) -> Iterator[Float32Array]:
    """Decode block by block as (n, 1 or 2) float32; broken packets become nothing."""
    layout = "mono" if stream.codec_context.channels == 1 else "stereo"
    resampler = av.AudioResampler(format="flt", layout=layout)
    n_channels = 1 if layout == "mono" else 2
    n_samples = 0
    place = _Placing(stream)
    limit = seconds_to_sample(LONGEST_SECONDS, stream.codec_context.sample_rate or 48_000)
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
            frames = packet.decode()
        except (StopIteration, EOFError):
            return
        except av.InvalidDataError:
            continue
        for frame in frames:
            n_missing = place.n_missing_before(frame, n_samples)
            blocks = [np.zeros((n_missing, n_channels), np.float32)] if n_missing else []
            blocks += [
                np.asarray(out.to_ndarray(), np.float32).reshape(-1, n_channels)
                for out in resampler.resample(frame)
            ]
            n_samples += sum(len(block) for block in blocks)
            yield from blocks
        if n_samples > limit:
            _check_length(n_samples / (limit / LONGEST_SECONDS), path)
        if stated:
            progress(min(1.0, n_samples / limit * LONGEST_SECONDS / stated))


class _Placing:
    """Tells by timestamps where sound is missing between two blocks, as in a broken transport stream."""

    def __init__(self, stream: av.AudioStream) -> None:
        self._time_base = stream.time_base
        self._first: int | None = None

    def n_missing_before(self, frame: av.AudioFrame, n_samples: int) -> int:
        """Return how many samples of silence go before a frame when `n_samples` are there already."""
        base = frame.time_base or self._time_base
        if frame.pts is None or not base:
            return 0
        if self._first is None:
            self._first = frame.pts
        place = seconds_to_sample(float((frame.pts - self._first) * base), frame.sample_rate)
        n_missing = place - n_samples
        # Containers round timestamps to a millisecond; a leap of minutes is a broken one.
        is_gap = _GAP_SECONDS < n_missing / frame.sample_rate < _LONGEST_GAP_SECONDS
        return n_missing if is_gap else 0


def _stated_duration(container: av.container.InputContainer, stream: av.AudioStream) -> float:
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    return (container.duration or 0) / av.time_base


def _says_its_length(path: Path, kind: str) -> bool:
    """Whether a file holds its length, so that it is not guessed from its size and first bit rate.

    An MP3 does in a first frame without sound, if its encoder wrote one.
    """
    if kind == "mp3":
        with open_regular(path) as file:
            head = file.read(10)
            n_tag = sum(
                (byte & 0x7F) << shift for byte, shift in zip(head[6:10], (21, 14, 7, 0), strict=False)
            )
            file.seek(n_tag + 10 if head[:3] == b"ID3" else 0)
            first = file.read(_FIRST_FRAME_BYTES)
        return any(name in first for name in (b"Xing", b"Info", b"VBRI"))
    return kind not in _WITHOUT_LENGTH


def _duration_in_riff_header(path: Path) -> float:
    """Return the seconds that a WAV file says it holds, else 0: decoders tell only what is there."""
    with open_regular(path) as file:
        head = file.read(12)
        bytes_per_second = 0
        while head[:4] == b"RIFF" and len(chunk := file.read(8)) == 8:
            name, n_bytes = chunk[:4], int.from_bytes(chunk[4:], "little")
            if name == b"data":
                is_known = bytes_per_second and n_bytes not in (0, 0xFFFFFFFF)
                return n_bytes / bytes_per_second if is_known else 0.0
            after = file.tell() + n_bytes + n_bytes % 2
            if name == b"fmt ":
                bytes_per_second = int.from_bytes(file.read(12)[8:12], "little")
            file.seek(after)
    return 0.0


def _check_length(seconds: float, path: Path) -> None:
    if seconds > LONGEST_SECONDS:
        raise MediaError(
            tr(
                "{name} is {time} long; Epiphane listens to {end} at most. Cut out the part you need first.",
                name=path.name,
                time=clock_text(seconds),
                end=clock_text(LONGEST_SECONDS),
            )
        )
