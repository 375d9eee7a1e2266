"""Writing a film, whole or not at all: pictures one after the other, and the whole sound."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType, TracebackType
from typing import Any, Self

import av
import cv2
import numpy as np

from epiphane.disk import PartFile, remove_abandoned
from epiphane.errors import MediaError
from epiphane.media.codecs import AAC, SoundCodec, VideoCodec, h264
from epiphane.media.colour import OUTPUT_SPEC, Matrix
from epiphane.media.pixel_layouts import frame_of
from epiphane.types import Float32Array, Pixels, Plane, Size
from epiphane.wording import tr

SOUND_RATE = 48_000
_SOUND_BLOCK = 1024
FAST_START: Mapping[str, str] = MappingProxyType({"movflags": "+faststart"})

assert OUTPUT_SPEC.matrix is Matrix.BT709  # what the tags below say
_TAGS = {"colorspace": 1, "color_primaries": 1, "color_trc": 1, "color_range": 1}
_RGB_TAGS = {"colorspace": 0, "color_primaries": 1, "color_trc": 1, "color_range": 2}


class MovieWriter:
    """A film in the making; under its final name only once it is complete.

    Used as a context: leaving it by an exception removes what was written.

    Parameters
    ----------
    path : Path
        The final name.
    size : (width, height)
        Even, where the pixels of the codec share colours.
    rate : Fraction, frames / second
    sound : float32, shape (n_samples, 2), at `SOUND_RATE`, or None
        The whole sound, from the instant of the first picture.
    video, audio
        The encoders.
    container : str
        FFmpeg's name of it.

    Raises
    ------
    MediaError
        If the file cannot be made, or this build of FFmpeg lacks the encoder.
    """

    def __init__(
        self,
        path: Path,
        *,
        size: Size,
        rate: Fraction,
        sound: Float32Array | None = None,
        video: VideoCodec | None = None,
        audio: SoundCodec = AAC,
        container: str = "mp4",
        options: Mapping[str, str] = FAST_START,
    ) -> None:
        self._codec = video or h264()
        self._path, self._rate, self._size = path, rate, size
        self._n_frames = 0
        self._file = FilmFile(path, container, options)
        self._video = self._file.add_video(self._codec, size, rate)
        self._sound = None if sound is None else SoundTrack(self._file, sound, audio)

    def write(self, planes: Sequence[Pixels]) -> None:
        """Add the next picture.

        Parameters
        ----------
        planes : those of the codec's layout
            Such as Y, shape (height, width), Cb and Cr, shape (height / 2, width / 2), in `OUTPUT_SPEC`.
        """
        frame = frame_of(planes, self._codec.layout, self._size)
        frame.pts = self._n_frames
        frame.time_base = 1 / self._rate
        frame.pict_type = 0  # the encoder chooses, not the file this frame may come from
        tags = _tags_of(self._codec)
        for tag in ("colorspace", "color_range"):
            setattr(frame, tag, tags[tag])
        self._file.encode(self._video, frame)
        self._n_frames += 1
        if self._sound is not None:
            self._sound.write(until=round(self._n_frames / self._rate * SOUND_RATE))

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if error is not None:
            self._file.__exit__(kind, error, trace)
            return
        with self._file:
            self._file.encode(self._video, None)
            if self._sound is not None:
                self._sound.finish(until=round(self._n_frames / self._rate * SOUND_RATE))


class FilmFile:
    """A container in the making, of which streams are added and filled: as a context, whole or not there.

    Parameters
    ----------
    path : Path
        The final name.
    container : str
        FFmpeg's name of it.
    options : of the container

    Raises
    ------
    MediaError
        If the file cannot be made.
    """

    def __init__(self, path: Path, container: str, options: Mapping[str, str]) -> None:
        self._path = path
        remove_abandoned(path.absolute().parent, path.name)
        self._part = PartFile(Path(os.path.realpath(path)))  # a link stays one
        try:
            # Matroska would have an identity by chance: equal films would differ.
            told = {"fflags": "+bitexact", **options}
            self.container = av.open(str(self._part.path), "w", format=container, options=told)
        except (av.FFmpegError, OSError, ValueError) as error:
            self._part.remove()
            raise self._fault(error) from None

    def add_video(self, codec: VideoCodec, size: Size, rate: Fraction) -> av.VideoStream:
        """Return a new stream for pictures, tagged with their colours."""
        try:
            stream = self.container.add_stream(codec.encoder, rate=rate, options=dict(codec.options))
        except (av.FFmpegError, ValueError):
            raise self._missing(codec.encoder) from None
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height = size
        stream.pix_fmt = codec.layout.name
        context = stream.codec_context
        context.thread_count, context.thread_type = codec.n_threads, codec.threads_by
        context.time_base = 1 / rate
        if codec.tag:
            context.codec_tag = codec.tag
        for tag, value in _tags_of(codec).items():
            setattr(context, tag, value)
        return stream

    def add_sound(self, codec: SoundCodec) -> av.AudioStream:
        """Return a new stream for sound of two channels."""
        try:
            stream = self.container.add_stream(codec.encoder, rate=SOUND_RATE, options=dict(codec.options))
        except (av.FFmpegError, ValueError):
            raise self._missing(codec.encoder) from None
        assert isinstance(stream, av.AudioStream)
        if codec.bit_rate:
            stream.bit_rate = codec.bit_rate
        stream.codec_context.layout = "stereo"
        stream.codec_context.format = codec.form
        return stream

    def encode(self, stream: av.VideoStream | av.AudioStream, frame: object) -> None:
        """Encode a frame, or with None what is left, and write what comes of it."""
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]
                self.container.mux(packet)
        except (av.FFmpegError, OSError, ValueError) as error:
            raise self._fault(error) from None

    def mux(self, packet: av.Packet[Any]) -> None:
        """Write a packet."""
        try:
            self.container.mux(packet)
        except (av.FFmpegError, OSError) as error:
            raise self._fault(error) from None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            self.container.close()
            if error is None:
                self._part.publish()
        except (av.FFmpegError, OSError) as fault:
            if error is None:
                raise self._fault(fault) from None
        finally:
            self._part.remove()

    def _fault(self, error: av.FFmpegError | OSError | ValueError) -> MediaError:
        reason = error.strerror if isinstance(error, OSError) else str(error)
        return MediaError(tr("{path} cannot be written: {reason}.", path=self._path, reason=reason))

    def _missing(self, encoder: str) -> MediaError:
        self.container.close()
        self._part.remove()
        return missing_encoder(encoder)


class SoundTrack:
    """The sound of a film in the making, which is encoded block by block beside the pictures."""

    def __init__(self, file: FilmFile, sound: Float32Array, codec: SoundCodec) -> None:
        self._file, self._sound, self._form = file, sound, codec.form
        self._stream = file.add_sound(codec)
        self._block = self._stream.codec_context.frame_size or _SOUND_BLOCK
        self._at = 0

    def write(self, *, until: int) -> None:
        """Encode whole blocks up to a sample."""
        until = min(until, len(self._sound))
        while self._at + self._block <= until:
            self._encode(self._at + self._block)

    def finish(self, *, until: int) -> None:
        """Encode the rest up to a sample."""
        self.write(until=until)
        while self._at < (end := min(until, len(self._sound))):
            self._encode(min(self._at + self._block, end))
        self._file.encode(self._stream, None)

    def _encode(self, end: int) -> None:
        frame = av.AudioFrame.from_ndarray(
            *_as_form(self._sound[self._at : end], self._form), layout="stereo"
        )
        frame.sample_rate = SOUND_RATE
        frame.pts, frame.time_base = self._at, Fraction(1, SOUND_RATE)
        self._file.encode(self._stream, frame)
        self._at = end


def missing_encoder(encoder: str) -> MediaError:
    """Return the error of a build of FFmpeg that lacks an encoder."""
    return MediaError(
        tr("this installation cannot encode with {encoder}; choose another format.", encoder=encoder)
    )


_WHOLE = {"s16": (np.int16, 2**15), "s32": (np.int32, 2**31)}


def _as_form(sound: Float32Array, form: str) -> tuple[np.ndarray, str]:
    """Return samples in a form of FFmpeg's, planar or packed, and its name.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2), -1 to 1
    """
    planar, kind = form.endswith("p"), form.removesuffix("p")
    values: np.ndarray = sound
    if kind in _WHOLE:
        whole, most = _WHOLE[kind]
        values = np.clip(np.rint(sound.astype(np.float64) * most), -most, most - 1).astype(whole)
    return np.ascontiguousarray(values.T if planar else values.reshape(1, -1)), form


def _tags_of(codec: VideoCodec) -> Mapping[str, int]:
    return _RGB_TAGS if codec.layout.is_rgb else _TAGS


def planes_from_yuv444(picture: np.ndarray) -> tuple[Plane, Plane, Plane]:
    """Return 4:2:0 planes of a Y'CbCr picture, uint8, shape (height, width, 3), even sizes.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3), both sides even

    Returns
    -------
    uint8, shapes (height, width) and twice (height / 2, width / 2)
    """
    luma, blue, red = cv2.split(picture)
    half = (picture.shape[1] // 2, picture.shape[0] // 2)
    small = [cv2.resize(plane, half, interpolation=cv2.INTER_AREA) for plane in (blue, red)]
    return np.asarray(luma), np.asarray(small[0]), np.asarray(small[1])
