"""A film in chunks: where they begin, and the folder in which those that are ready wait for the others.

What an encoder does with a picture depends on all that came before, so a film is defined as chunked: in one
process, in many or after a crash it is the same to the byte.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import shutil
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import av
import cv2
import numpy as np

import epiphane
from epiphane.disk import open_own, private_folder
from epiphane.document.project import Project
from epiphane.errors import DiskError
from epiphane.files.project import encode_compactly, named_files
from epiphane.wording import tr

CHUNK_SECONDS = 5.0
_SNAPPED, _LONGEST_LAST = 0.25, 1.25
_SHORTEST = 2
"""Frames: of one alone two key pictures would follow each other, which encoders tell apart by a number."""
_LOCK = "in-use"


def chunks_of(project: Project, frames: range) -> list[range]:
    """Return the frames of a film in chunks, in order: about five seconds each, from a cut where one is near.

    Parameters
    ----------
    frames : range, not empty
        The part of the project that becomes a film.
    """
    length = max(_SHORTEST, round(CHUNK_SECONDS * project.rate))
    cuts = np.array(sorted({shot.start for shot in project.shots}) or [frames.start])
    starts = [frames.start]
    while frames.stop - starts[-1] > _LONGEST_LAST * length:
        wanted = starts[-1] + length
        cut = int(cuts[np.abs(cuts - wanted).argmin()])
        is_near = abs(cut - wanted) <= _SNAPPED * length
        starts.append(cut if is_near and cut - starts[-1] >= _SHORTEST else wanted)
        if frames.stop - starts[-1] < _SHORTEST:
            starts.pop()
            break
    return [range(first, end) for first, end in zip(starts, [*starts[1:], frames.stop], strict=True)]


def makers() -> dict[str, str]:
    """Return the versions of what has a part in each picture: other ones may draw, or encode, another."""
    return {
        "epiphane": epiphane.__version__,
        "av": av.__version__,
        "cv2": cv2.__version__,
        "numpy": np.__version__,
    }


def film_key(project: Project, *wanted: Any) -> str:
    """Return what tells a film from every other: its project, its files, how it is wanted, who makes it."""
    digest = hashlib.blake2b(encode_compactly(project), digest_size=10)
    for path in sorted(set(named_files(project))):
        facts: object = None
        with contextlib.suppress(OSError, ValueError):
            found = path.stat()
            facts = found.st_size, found.st_mtime_ns
        digest.update(f"{path}{facts}".encode())
    digest.update(repr((wanted, makers())).encode())
    return digest.hexdigest()


class ChunkFolder:
    """The hidden folder beside a film in which its chunks wait; as a context it is locked.

    Chunks of another film are thrown away, those of this one that a crash left are there already. Where
    another process makes a film of this name, the folder has another name.

    Parameters
    ----------
    film : Path
    key : str
        Of `film_key`.
    suffix : str
        Of the files.
    is_shared : bool
        Whether others make chunks of the same film meanwhile.

    Raises
    ------
    DiskError
        If it cannot be made.
    """

    def __init__(self, film: Path, key: str, suffix: str, *, is_shared: bool = False) -> None:
        self._key, self._suffix = key, suffix
        if not film.absolute().parent.is_dir():
            raise DiskError(tr("{path} cannot be written: its folder is not there.", path=film))
        mode = fcntl.LOCK_SH if is_shared else fcntl.LOCK_EX
        names = (
            f".{film.name[:100]}.chunks{'' if number == 1 else f'-{number}'}" for number in range(1, 100)
        )
        for name in names:
            self._folder = film.absolute().with_name(name)
            lock = _locked(self._folder, mode)
            if lock is not None:
                self._lock = lock
                break
        else:
            raise DiskError(tr("too many films are being made of {name}.", name=film.name))
        if not is_shared:
            for path in self._folder.iterdir():
                if path.name != _LOCK and not path.name.startswith(key):
                    path.unlink(missing_ok=True)

    def path(self, number: int) -> Path:
        """Return where a chunk is, or is to be."""
        return self._folder / f"{self._key}-{number:05d}{self._suffix}"

    def missing(self, chunks: Sequence[range]) -> list[int]:
        """Return the numbers of the chunks that are not ready."""
        return [number for number in range(len(chunks)) if not self.path(number).exists()]

    def remove(self) -> None:
        """Throw all chunks away."""
        shutil.rmtree(self._folder, ignore_errors=True)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        os.close(self._lock)


def _locked(folder: Path, mode: int) -> int | None:
    """Return the descriptor of a folder's lock, which is made if need be; None where another has it."""
    while True:
        private_folder(folder)
        place = folder / _LOCK
        try:
            lock = open_own(place, os.O_RDWR | os.O_CREAT)
        except DiskError:
            if folder.exists():
                raise
            continue  # whoever had it has just thrown it away
        try:
            fcntl.flock(lock, mode | fcntl.LOCK_NB)
            if os.path.samestat(os.fstat(lock), place.stat()):
                return lock
        except FileNotFoundError:
            pass
        except OSError:
            os.close(lock)
            return None
        os.close(lock)
