"""Writing an H.264/AAC MP4, whole or not at all."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Self

import av
import cv2
import numpy as np

from epiphane.disk import PartFile, remove_abandoned
from epiphane.errors import MediaError
from epiphane.media.colour import OUTPUT_SPEC, Matrix
from epiphane.media.raw import plane_rows
from epiphane.types import Float32Array, Plane, Size
from epiphane.wording import tr

SOUND_RATE = 48_000
FILM_SUFFIX = ".mp4"
_SOUND_BLOCK = 1024

assert OUTPUT_SPEC.matrix is Matrix.BT709  # what the tags below say
_TAGS = {"colorspace": 1, "color_primaries": 1, "color_trc": 1, "color_range": 1}


# "superfast" alone looks at no later picture and needs three times the bytes. With ten of them it makes files
# like those of "veryfast", on the demo and with film grain, in some two thirds of its time.
# The SIMD code of mbtree differs from run to run in its last bits; independent of the processor, it does not.
_LOOKING_AHEAD = "mbtree=1:rc-lookahead=10:cpu-independent=1"
# Fixed, for their number changes the bytes; and two, for more fight with the effect workers for the cores.
_THREADS = 2


class MovieWriter:
    """An MP4 in the making; under its final name only once it is complete.

    Used as a context: leaving it by an exception removes what was written.

    Parameters
    ----------
    path : Path
        The final name.
    size : (width, height), even
    rate : Fraction, frames / second
    sound : float32, shape (n_samples, 2), at `SOUND_RATE`, or None
        The whole sound, from the instant of the first picture.
    preset, crf
        How hard x264 tries, and for what quality (lower is better).

    Raises
    ------
    MediaError
        If the file cannot be made.
    """

    def __init__(
        self,
        path: Path,
        *,
        size: Size,
        rate: Fraction,
        sound: Float32Array | None = None,
        preset: str = "superfast",
        crf: int = 18,
    ) -> None:
        self._path = path
        remove_abandoned(path.absolute().parent, path.name)
        self._part = PartFile(Path(os.path.realpath(path)))  # a link stays one
        self._rate = rate
        self._size = size
        self._n_frames = 0
        self._sound = sound
        self._sound_at = 0
        try:
            self._container = av.open(
                str(self._part.path), "w", format="mp4", options={"movflags": "+faststart"}
            )
        except (av.FFmpegError, OSError) as error:
            self._part.remove()
            raise MediaError(
                tr("{path} cannot be written: {reason}.", path=path, reason=error.strerror)
            ) from None
        options = {"preset": preset, "crf": str(crf), "x264-params": _LOOKING_AHEAD}
        self._video = self._container.add_stream("libx264", rate=rate, options=options)
        self._video.width, self._video.height = size
        self._video.pix_fmt = "yuv420p"
        self._video.codec_context.thread_count = _THREADS
        self._video.codec_context.time_base = 1 / rate
        for tag, value in _TAGS.items():
            setattr(self._video.codec_context, tag, value)
        self._audio = None
        if sound is not None:
            self._audio = self._container.add_stream("aac", rate=SOUND_RATE)
            self._audio.bit_rate = 256_000
            self._audio.codec_context.layout = "stereo"

    def write(self, planes: tuple[Plane, Plane, Plane]) -> None:
        """Add the next picture.

        Parameters
        ----------
        planes : three of uint8
            Y, shape (height, width), Cb and Cr, shape (height / 2, width / 2), in `OUTPUT_SPEC`.
        """
        width, height = self._size
        frame = av.VideoFrame(width, height, "yuv420p")
        for target, plane in zip(frame.planes, planes, strict=True):
            plane_rows(target)[: target.height, : target.width] = plane
        frame.pts = self._n_frames
        frame.time_base = 1 / self._rate
        frame.pict_type = 0  # the encoder chooses, not the file this frame may come from
        for tag in ("colorspace", "color_range"):
            setattr(frame, tag, _TAGS[tag])
        self._mux(self._video, frame)
        self._n_frames += 1
        self._write_sound(until=round(self._n_frames / self._rate * SOUND_RATE))

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        try:
            if kind is None:
                self._finish()
            else:
                self._container.close()
        except (av.FFmpegError, OSError) as fault:
            if kind is None:
                raise MediaError(
                    tr("{path} cannot be written: {reason}.", path=self._path, reason=fault.strerror)
                ) from None
        finally:
            self._part.remove()

    def _finish(self) -> None:
        self._write_sound(until=round(self._n_frames / self._rate * SOUND_RATE), is_last=True)
        self._mux(self._video, None)
        if self._audio is not None:
            self._mux(self._audio, None)
        self._container.close()
        self._part.publish()

    def _write_sound(self, *, until: int, is_last: bool = False) -> None:
        """Encode whole blocks up to a sample, and at the end the rest."""
        if self._audio is None or self._sound is None:
            return
        until = min(until, len(self._sound))
        while self._sound_at + _SOUND_BLOCK <= until or (is_last and self._sound_at < until):
            block = self._sound[self._sound_at : min(self._sound_at + _SOUND_BLOCK, until)]
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.T), format="fltp", layout="stereo")
            frame.sample_rate = SOUND_RATE
            frame.pts = self._sound_at
            frame.time_base = Fraction(1, SOUND_RATE)
            self._mux(self._audio, frame)
            self._sound_at += len(block)

    def _mux(self, stream: av.VideoStream | av.AudioStream, frame: object) -> None:
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]
                self._container.mux(packet)
        except (av.FFmpegError, OSError) as error:
            raise MediaError(
                tr("{path} cannot be written: {reason}.", path=self._path, reason=error.strerror)
            ) from None


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
