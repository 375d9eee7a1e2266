"""Proxies: small copies of footage of which every frame stands alone, for a preview that never waits.

They are kept in the user's cache by the footage's fingerprint, and the longest unused go when there
are more than may be. Only previews use them; exports read the footage itself.
"""

from __future__ import annotations

import contextlib
import os
import re
import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import platformdirs

from epiphane.disk import PartFile, keep_within, oldest_first, private_folder, remove_abandoned
from epiphane.errors import DiskError, ParameterError
from epiphane.media.clip import Clip
from epiphane.media.colour import OUTPUT_SPEC, ColourSpec, Matrix, bgr_to_yuv
from epiphane.media.raw import RawPicture, plane_rows
from epiphane.media.still import Still, is_still
from epiphane.types import Plane, Progress, Size, ignore_progress
from epiphane.wording import tr

PROXY_LINES = 540
MOST_BYTES = 10 << 30
_VERSION = 2
_FINGERPRINT = re.compile(r"[0-9a-f]{32}", re.ASCII)
# An H.264 stream counts time in steps of this at most; finer clocks are rounded to it.
_CLOCK = Fraction(1, 90_000)
_MATRIX_TAGS = {Matrix.BT601: 6, Matrix.BT709: 1, Matrix.BT2020: 9}
_RANGE_TAGS = {False: 1, True: 2}


class ProxyStore:
    """The proxies on this machine. May be used from several threads.

    Parameters
    ----------
    folder : Path or None
        Where they are kept; the user's cache unless given.
    most_bytes : int
        When there are more, those unused for longest are deleted.
    """

    def __init__(self, folder: Path | None = None, *, most_bytes: int = MOST_BYTES) -> None:
        self.folder = folder or Path(platformdirs.user_cache_dir("epiphane")) / "proxies"
        self._most_bytes = most_bytes
        self._lock = threading.Lock()
        self.discarded: Callable[[str], None] = lambda fingerprint: None
        """Called with the fingerprint of footage whose proxy was damaged; in any thread."""

    def find(self, fingerprint: str) -> Path | None:
        """Return the proxy of some footage, or None; it counts as used now."""
        for path in (self._place(fingerprint, ".mp4"), self._place(fingerprint, ".png")):
            try:
                os.utime(path)
            except OSError:
                continue
            return path
        return None

    def make(self, path: Path, fingerprint: str, *, progress: Progress = ignore_progress) -> Path | None:
        """Make the proxy of a video or still, if it is not there, and return it.

        None where it would not help: of footage that can be seen through, which stays as it is.

        Raises
        ------
        MediaError
            If the footage is damaged.
        DiskError
            If the proxy cannot be written.
        """
        found = self.find(fingerprint)
        if found is not None:
            return found
        place = self._place(fingerprint, ".png" if is_still(path) else ".mp4")
        try:
            private_folder(self.folder)
            remove_abandoned(self.folder)
            with PartFile(place) as part:
                write = _write_still if is_still(path) else _write_video
                if not write(path, part.path, progress):
                    return None
                part.publish()
        except (OSError, av.FFmpegError) as error:
            raise DiskError(
                tr("{folder} cannot be written to: {reason}", folder=self.folder, reason=error.strerror)
            ) from None
        self._make_room()
        return place

    def discard(self, fingerprint: str) -> None:
        """Throw away a proxy that cannot be read, and tell who makes them."""
        for suffix in (".mp4", ".png"):
            with contextlib.suppress(OSError):
                self._place(fingerprint, suffix).unlink(missing_ok=True)
        self.discarded(fingerprint)

    def n_bytes(self) -> int:
        """Return how much all proxies take."""
        return sum(size for _, size, _ in oldest_first(self.folder))

    def _make_room(self) -> None:
        with self._lock:
            keep_within(self.folder, self._most_bytes)

    def _place(self, fingerprint: str, suffix: str) -> Path:
        if not _FINGERPRINT.fullmatch(fingerprint):  # it comes from files, and is never to lead elsewhere
            raise ParameterError(
                tr("a fingerprint is 32 hexadecimal digits, got {fingerprint!r:.60}", fingerprint=fingerprint)
            )
        return self.folder / f"{fingerprint}-{_VERSION}{suffix}"


def _proxy_size(size: Size) -> Size:
    shrink = min(1.0, PROXY_LINES / min(size))
    width, height = (max(2, round(side * shrink / 2) * 2) for side in size)
    return width, height


def _write_still(path: Path, place: Path, progress: Progress) -> bool:
    still = Still(path)
    picture = still.read().planes[0]
    # A push over a still looks closer than a whole frame shows, so it has half as many lines again.
    height, width = picture.shape[:2]
    shrink = min(1.0, 1.5 * PROXY_LINES / min(width, height))
    if shrink > 0.8 or picture.shape[2] == 4:
        return False
    size = max(1, round(width * shrink)), max(1, round(height * shrink))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    is_written, content = cv2.imencode(".png", small, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    if is_written:
        place.write_bytes(content.tobytes())
    return bool(is_written)


def _write_video(path: Path, place: Path, progress: Progress) -> bool:
    clip = Clip(path)
    try:
        if clip.has_alpha:
            return False
        with av.open(str(place), "w", format="mp4") as container:
            stream = container.add_stream(
                "libx264",
                rate=clip.rate,
                options={"preset": "ultrafast", "crf": "26", "tune": "fastdecode", "g": "1"},
            )
            size = _proxy_size(clip.display_size)
            stream.width, stream.height = size
            stream.pix_fmt = "yuv420p"
            stream.codec_context.time_base = _CLOCK
            stream.codec_context.thread_count = 1
            spec = _spec_of(clip.read(0))
            # The proxy has the very levels of its footage and says so: previews decode it by the same matrix.
            stream.codec_context.colorspace = _MATRIX_TAGS[spec.matrix]
            stream.codec_context.color_range = _RANGE_TAGS[spec.is_full_range]
            for index, time in enumerate(clip.times.tolist()):
                frame = _frame(_small_planes(clip.read(index), size), spec)
                frame.pts, frame.time_base = round(time / _CLOCK), _CLOCK
                container.mux(stream.encode(frame))
                progress((index + 1) / clip.n_pictures)
            container.mux(stream.encode(None))
        return True
    finally:
        clip.close()


def _spec_of(raw: RawPicture) -> ColourSpec:
    return raw.spec if len(raw.planes) == 3 else OUTPUT_SPEC


def _small_planes(raw: RawPicture, size: Size) -> tuple[Plane, Plane, Plane]:
    half = (size[0] // 2, size[1] // 2)
    if len(raw.planes) == 3:
        luma, blue, red = raw.planes
    else:
        small = _resized(raw.planes[0], size)
        coded = np.asarray(cv2.transform(small[..., :3], bgr_to_yuv(OUTPUT_SPEC)), np.uint8)
        luma, blue, red = coded[..., 0], coded[..., 1], coded[..., 2]
    return _resized(luma, size), _resized(blue, half), _resized(red, half)


def _resized(plane: Plane, size: Size) -> Plane:
    if plane.shape[:2] == (size[1], size[0]):
        return plane
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.uint8)


def _frame(planes: tuple[Plane, Plane, Plane], spec: ColourSpec) -> av.VideoFrame:
    height, width = planes[0].shape
    frame = av.VideoFrame(width, height, "yuv420p")
    for target, plane in zip(frame.planes, planes, strict=True):
        plane_rows(target)[: target.height, : target.width] = plane
    frame.colorspace = _MATRIX_TAGS[spec.matrix]
    frame.color_range = _RANGE_TAGS[spec.is_full_range]
    return frame
