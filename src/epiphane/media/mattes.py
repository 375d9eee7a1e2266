"""Mattes of footage: made once, kept as small lossless films in the user's cache."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import TypeAlias

import av
import cv2
import msgspec
import numpy as np
import platformdirs

from epiphane.disk import (
    PartFile,
    keep_within,
    private_folder,
    read_file,
    remove_abandoned,
    write_atomically,
)
from epiphane.document.matte import Matte, MatteKind
from epiphane.document.project import Project, footage_of
from epiphane.errors import DiskError, MediaError
from epiphane.media.clip import Clip
from epiphane.media.colour import yuv_to_bgr
from epiphane.media.fingerprint import content_hash
from epiphane.media.raw import RawPicture
from epiphane.media.tracing import LINES, begun, carried, way_between
from epiphane.types import Float32Array, Picture, Progress, ignore_progress
from epiphane.wording import tr

_VERSION = 1
MOST_SECONDS = 60.0
"""Of footage, for one matte."""
_MOST_BYTES = 2 << 30
MOST_MATTE_BYTES = 1 << 30
"""Of the film of one matte."""


Mattes: TypeAlias = Mapping[str, str]
"""Mattes that have been made: the paths of their films, by `matte_key`."""
NO_MATTES: Mattes = {}


@lru_cache(maxsize=256)
def matte_key(fingerprint: str, matte: Matte) -> str:
    """Return by what a matte is kept: 32 hexadecimal digits of all that it is made of.

    What is done to it when it is shown (feather, growth, inversion) has no part in it.
    """
    made_of = msgspec.structs.replace(matte, feather=0.0, grow=0.0, is_inverted=False)
    content = msgspec.json.encode([_VERSION, fingerprint, made_of])
    return hashlib.blake2b(content, digest_size=16).hexdigest()


def matte_folder() -> Path:
    """Return the folder in which mattes are kept."""
    return Path(platformdirs.user_cache_dir("epiphane")) / "mattes"


def find_matte(key: str) -> Path | None:
    """Return the film of a matte, or None where it has not been made, or is not as it was made."""
    place = matte_folder() / f"{key}.mkv"
    try:
        facts = place.stat()
    except OSError:
        return None
    return place if _is_as_made(place, facts.st_ino, facts.st_mtime_ns, facts.st_size) else None


def made_mattes(project: Project) -> Mattes:
    """Return the films of all mattes of a project that have been made, by their keys; asks the disk."""
    found = {}
    for shot in project.shots:
        footage = None if shot.matte is None else footage_of(project, shot.footage)
        if shot.matte is not None and footage is not None:
            key = matte_key(footage.fingerprint, shot.matte)
            film = find_matte(key)
            if film is not None:
                found[key] = str(film)
    return found


@lru_cache(maxsize=1024)
def _is_as_made(place: Path, _inode: int, _mtime_ns: int, _n_bytes: int) -> bool:
    """Whether a film has the content that was written, whose hash lies beside it; known until it changes."""
    try:
        kept = read_file(_seal_of(place), most_bytes=100).decode(errors="replace")
        return kept == content_hash(place)
    except (DiskError, MediaError):
        return False


def _seal_of(place: Path) -> Path:
    return place.with_suffix(".hash")


def make_matte(
    path: Path,
    fingerprint: str,
    matte: Matte,
    rate: Fraction,
    *,
    progress: Progress = ignore_progress,
) -> Path:
    """Make the matte of a clip, if it is not there, and return its film: grey, a picture for each of its own.

    Raises
    ------
    MediaError
        If the clip cannot be read, or nothing is marked on it.
    DiskError
        If the film cannot be written.
    """
    key = matte_key(fingerprint, matte)
    found = find_matte(key)
    if found is not None:
        return found
    if matte.kind is MatteKind.TRACED and not any(mark.box for mark in matte.marks):
        raise MediaError(tr("nothing is marked: draw a box around the subject on the picture first"))
    if not 0 < matte.end - matte.start <= MOST_SECONDS:
        raise MediaError(
            tr(
                "a matte lasts {most:.0f} seconds at most: use a shorter part of the clip",
                most=MOST_SECONDS,
            )
        )
    place = matte_folder() / f"{key}.mkv"
    clip = Clip(path)
    try:
        masks = _masks(clip, matte, rate, progress)
        private_folder(matte_folder())
        remove_abandoned(matte_folder())
        with PartFile(place) as part:
            _write(part.path, masks, rate)
            write_atomically(_seal_of(place), content_hash(part.path).encode())
            part.publish()
        keep_within(matte_folder(), _MOST_BYTES)
    except (OSError, av.FFmpegError) as error:
        raise DiskError(
            tr(
                "{folder} cannot be written to: {reason}",
                folder=matte_folder(),
                reason=error.strerror,
            )
        ) from None
    finally:
        clip.close()
    return place


def keep_matte(key: str, film: bytes) -> None:
    """Keep the film of a matte that was made elsewhere; DiskError if it cannot be written."""
    private_folder(matte_folder())
    place = matte_folder() / f"{key}.mkv"
    write_atomically(place, film)
    write_atomically(_seal_of(place), content_hash(place).encode())


def _masks(clip: Clip, matte: Matte, rate: Fraction, progress: Progress) -> Iterator[Float32Array]:
    """Yield the matte for each picture of the part of a clip for which it was asked."""
    times = [matte.start + float(n / rate) for n in range(frames_of(matte, rate))]

    def picture(time: float) -> Picture:
        return small_picture(clip.read(clip.index_at(time)))

    if matte.kind is not MatteKind.TRACED:
        tell = _teller(matte, picture)
        for number, time in enumerate(times):
            progress(number / len(times))
            yield tell(picture(time))
        return
    yield from _traced(matte, times, picture, progress)


def frames_of(matte: Matte, rate: Fraction) -> int:
    """Return how many pictures the film of a matte has."""
    return max(1, math.ceil((matte.end - matte.start) * rate))


def _traced(
    matte: Matte, times: list[float], picture: Callable[[float], Picture], progress: Progress
) -> Iterator[Float32Array]:
    """Yield the traced subject of each picture: from the first box forwards, and back to the start."""
    marks = {nearest_index(times, mark.time): mark for mark in matte.marks}
    first = min(number for number, mark in marks.items() if mark.box is not None)
    begins = begun(picture(times[first]), marks[first])
    made = {first: _packed(begins)}
    onwards = ((number, picture(times[number])) for number in range(first + 1, len(times)))
    for others in (onwards, _backwards(first, times, picture)):
        before, mask, way = picture(times[first]), begins, (0.0, 0.0)
        for number, now in others:
            progress(len(made) / len(times))
            last = mask
            mask = carried(before, now, mask, way)
            if number in marks:
                mask = begun(now, marks[number], mask)
            made[number], before, way = _packed(mask), now, way_between(last, mask)
    for number in range(len(times)):
        levels = cv2.imdecode(made[number], cv2.IMREAD_GRAYSCALE)
        yield np.asarray(levels, np.float32) / np.float32(255)


_BLOCK = 24
"""Pictures that are read in a row where they are wanted backwards: going back to each costs a key frame."""


def _backwards(
    end: int, times: list[float], picture: Callable[[float], Picture]
) -> Iterator[tuple[int, Picture]]:
    """Yield the pictures before number `end` with their numbers, the last one first."""
    while end > 0:
        start = max(0, end - _BLOCK)
        block = [(number, picture(times[number])) for number in range(start, end)]
        yield from reversed(block)
        end = start


def nearest_index(times: Sequence[float], time: float) -> int:
    """Return which of some times is nearest to one."""
    return min(range(len(times)), key=lambda number: abs(times[number] - time))


def _packed(mask: Float32Array) -> np.ndarray:
    """Return a matte as PNG: thousands of them are kept until all are made."""
    return np.asarray(cv2.imencode(".png", np.rint(mask * 255).astype(np.uint8))[1])


def _teller(matte: Matte, picture: Callable[[float], Picture]) -> Callable[[Picture], Float32Array]:
    """Return what tells the subject of a picture by its brightness, a colour, or a clean picture."""
    width = max(matte.high - matte.low, 1e-3)

    def ramp(value: np.ndarray) -> Float32Array:
        return np.clip((value.astype(np.float32) / 255 - matte.low) / width, 0, 1).astype(np.float32)

    if matte.kind is MatteKind.LUMA:
        return lambda one: ramp(cv2.cvtColor(one, cv2.COLOR_BGR2GRAY))
    if matte.kind is MatteKind.COLOUR:
        red, green, blue = (int(matte.colour[n : n + 2], 16) for n in (1, 3, 5))
        key = cv2.cvtColor(np.array([[[blue, green, red]]], np.uint8), cv2.COLOR_BGR2Lab).astype(np.int16)

        def unlike(one: Picture) -> Float32Array:
            lab = cv2.cvtColor(one, cv2.COLOR_BGR2Lab).astype(np.int16) - key
            return ramp(np.hypot(lab[..., 1], lab[..., 2]) + 0.25 * np.abs(lab[..., 0]))

        return unlike
    clean = cv2.GaussianBlur(picture(matte.clean), (0, 0), 1)

    def changed(one: Picture) -> Float32Array:
        away = cv2.absdiff(cv2.GaussianBlur(one, (0, 0), 1), clean).max(axis=2)
        closed = cv2.morphologyEx(cv2.medianBlur(away, 5), cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
        return ramp(closed * _MORE_SENSITIVE)

    return changed


_MORE_SENSITIVE = 4.0
"""A difference of a quarter of all levels counts as the greatest."""


def small_picture(raw: RawPicture) -> Picture:
    """Return a picture of footage as BGR, with the lines at which mattes are made at most.

    Returns
    -------
    uint8, shape (at most `LINES`, width, 3), BGR
    """
    width, height = raw.shape
    shrink = min(1.0, LINES / height)
    size = max(2, round(width * shrink)), max(2, round(height * shrink))
    planes = [cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in raw.planes]
    if len(planes) == 3:
        joined = np.asarray(cv2.merge(planes), np.float32)
        tone = yuv_to_bgr(raw.spec)
        return np.clip(np.rint(cv2.transform(joined, tone.astype(np.float32))), 0, 255).astype(np.uint8)
    return np.ascontiguousarray(planes[0][..., :3])


def _write(place: Path, masks: Iterator[Float32Array], rate: Fraction) -> None:
    """Write a lossless grey film (FFV1)."""
    with av.open(str(place), "w", format="matroska") as container:
        stream = container.add_stream("ffv1", rate=rate)
        stream.pix_fmt = "gray"
        stream.codec_context.time_base = 1 / rate
        for number, mask in enumerate(masks):
            levels = np.rint(np.clip(mask, 0, 1) * 255).astype(np.uint8)
            if number == 0:
                stream.width, stream.height = levels.shape[1], levels.shape[0]
            frame = av.VideoFrame.from_ndarray(levels, format="gray")
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
