"""The journal of a window's unsaved work: each edit is in it before it is seen, so a crash loses nothing.

Each window has a folder of its own for the project it has open, under one that only the application
chooses. In it lie a lock, which the system lets go of however the window ends; the journal; and `lost`
journals, which windows that died have left, until somebody has said what is to become of them.

A journal is lines of a checksum and JSON: what it belongs to, then after each edit the whole project
(``{"n_edits": …, "whole": …}``) or what it changed (``{"changes": …}``, see `epiphane.files.changes`).
When it has grown to several times the project it is begun anew. Paths in it are relative to the
project's folder.
"""

import contextlib
import fcntl
import hashlib
import os
import secrets
import shutil
import time
import zlib
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from pathlib import Path
from typing import Any

from msgspec import Struct

from epiphane.disk import MOST_PROJECT_BYTES, flush_folder, open_own, private_folder
from epiphane.document.project import Project
from epiphane.errors import DiskError, EpiphaneError, InUseError, ProjectFileError
from epiphane.files.changes import changes_between, with_changes_done
from epiphane.files.project import (
    convert_part,
    decode_json,
    decode_project,
    encode_compactly,
    with_absolute_paths,
    with_relative_paths,
)
from epiphane.wording import tr

_VERSION = 1
_LOCK, _JOURNAL, _LOST = "lock", "journal", "lost-"
_UNTITLED = "untitled-"
# A journal is begun anew when it has this many bytes more than three times the project.
_SLACK_BYTES = 1 << 20
_CHECKSUM_BYTES = 9  # eight digits and a space
_LONGEST_LINE = 2 * MOST_PROJECT_BYTES
# Who looks whether a window lives holds its lock for an instant.
_TRIES, _TRY_SECONDS = 20, 0.01


class LostWork(Struct, frozen=True):
    """Unsaved work that a window left behind when it died.

    `project_path` is None for work that was never saved; `project` is as it was after the last edit that was
    finished, its paths absolute; `ended` is when that was, in seconds since 1970.
    """

    file: Path
    project_path: Path | None
    project: Project
    n_edits: int
    ended: float


class _Head(Struct, frozen=True):
    """What a journal belongs to: the project's path, and a hash of its file when the journal was begun."""

    journal: int
    path: str | None
    digest: str | None


class Journal:
    """The journal of one window for the project that it has open. Used from one thread.

    Parameters
    ----------
    folder : Path
        The window's folder for this project; made when it is first needed.
    path : Path or None
        The project's file, where it has one.
    digest : str or None
        The hash of that file's content.
    """

    def __init__(self, folder: Path, path: Path | None, digest: str | None) -> None:
        self.folder = folder
        self.path = path
        self._digest = digest
        self._lock: int | None = None
        self._project: int | None = None
        self._file: int | None = None
        self._size = 0
        self._whole_size = 0
        self._written: Project | None = None
        self._n_edits = 0
        self._flusher: ThreadPoolExecutor | None = None
        self._flushed: list[Future[None]] = []

    def hold(self) -> None:
        """Take the folder for this window; a journal that lies in it becomes a lost one.

        Raises
        ------
        InUseError
            If another window holds it.
        DiskError
            If it cannot be made.
        """
        if self._lock is not None and self._is_at(self._lock, _LOCK):
            return
        self._hold_folder()
        self._hold_project()

    def _is_at(self, handle: int, name: str) -> bool:
        """Whether an open file still has its name in the folder: somebody may have cleaned up."""
        try:
            return os.path.samestat(os.fstat(handle), (self.folder / name).stat())
        except OSError:
            return False

    def _hold_project(self) -> None:
        """Hold the project's file too, which may have another name elsewhere (a hard link).

        Raises
        ------
        InUseError
            If another window holds it.
        """
        if self._project is not None:
            os.close(self._project)
            self._project = None
        if self.path is None:
            return
        with contextlib.suppress(OSError, DiskError):
            handle = open_own(self.path, os.O_RDONLY)
            if not _is_locked_by_us(handle):
                os.close(handle)
                self._let_go()
                raise InUseError(tr("the project is open in another window, under another name."))
            self._project = handle

    def _hold_folder(self) -> None:
        if self._lock is not None:  # of a folder that is gone
            self._let_go_of_file()
            os.close(self._lock)
            self._lock = None
        private_folder(self.folder.parent)
        private_folder(self.folder)
        lock = open_own(self.folder / _LOCK, os.O_RDWR | os.O_CREAT)
        if not _is_locked_by_us(lock):
            os.close(lock)
            raise InUseError(tr("the project is open in another window."))
        self._lock = lock
        left = self.folder / _JOURNAL
        if left.exists():
            left.rename(self.folder / f"{_LOST}{time.time_ns()}")

    def append(self, project: Project) -> None:
        """Add the state after an edit.

        It is with the system when this returns, so that the death of the process does not lose it, and is
        being flushed to the disk, against the death of the machine.

        Raises
        ------
        DiskError
            If it could not be written, as on a full disk. The next one is tried anew.
        """
        if self.path is not None:
            project = with_relative_paths(project, self.path.parent)
        self._n_edits += 1
        try:
            self.hold()
            self._tell_of_flushing()
            is_there = self._file is not None and self._is_at(self._file, _JOURNAL)
            is_whole = not is_there or self._written is None
            if is_whole or self._size > 3 * self._whole_size + _SLACK_BYTES:
                self._begin(project)
            else:
                assert self._written is not None
                self._write({"changes": changes_between(self._written, project)})
        except (OSError, InUseError) as error:
            self._written = None
            words = error.strerror if isinstance(error, OSError) else str(error)
            raise DiskError(
                tr("{folder} cannot be written to: {words}", folder=self.folder, words=words)
            ) from None
        self._written = project
        self._flush()

    def clear(self, digest: str | None = None) -> None:
        """Forget everything: the project has been saved, as a file of this hash, or is not wanted back."""
        self._digest = digest or self._digest
        self._written = None
        self._n_edits = 0
        self._let_go_of_file()
        with contextlib.suppress(OSError):
            (self.folder / _JOURNAL).unlink(missing_ok=True)
        with contextlib.suppress(InUseError):
            self._hold_project()  # it has been written anew

    def close(self) -> None:
        """Forget everything and give the folder back; lost work in it stays."""
        self.clear()
        if self._lock is not None:
            with contextlib.suppress(OSError):
                if not any(self.folder.glob(f"{_LOST}*")):
                    shutil.rmtree(self.folder)
        self._let_go()

    def abandon(self) -> None:
        """Let go of everything and leave it on the disk, as the death of the process would."""
        self._let_go()

    def _let_go(self) -> None:
        self._let_go_of_file()
        for handle in (self._lock, self._project):
            if handle is not None:
                os.close(handle)
        self._lock = self._project = None

    def _begin(self, project: Project) -> None:
        """Put a journal with this state alone in the place of the one there is."""
        self._let_go_of_file()
        place = self.folder / _JOURNAL
        fresh = self.folder / f"{_JOURNAL}.new"
        fresh.unlink(missing_ok=True)
        self._file = open_own(fresh, os.O_RDWR | os.O_CREAT | os.O_EXCL)
        self._size = 0
        head = _Head(_VERSION, None if self.path is None else str(self.path), self._digest)
        self._write(head)
        self._write({"n_edits": self._n_edits, "whole": project})
        self._whole_size = self._size
        os.fdatasync(self._file)
        fresh.rename(place)
        flush_folder(self.folder)

    def _write(self, what: object) -> None:
        """Add a line, or nothing: what a full disk has cut off is taken away again."""
        assert self._file is not None
        text = encode_compactly(what)
        line = memoryview(b"%08x %s\n" % (zlib.crc32(text), text))
        try:
            n_done = 0
            while n_done < len(line):
                n_done += os.pwrite(self._file, line[n_done:], self._size + n_done)
        except OSError:
            with contextlib.suppress(OSError):
                os.ftruncate(self._file, self._size)
            raise
        self._size += len(line)

    def _flush(self) -> None:
        if self._flusher is None:
            self._flusher = ThreadPoolExecutor(1, thread_name_prefix="journal")
        if sum(not one.done() for one in self._flushed) > 1:
            return  # of two, one has not begun: it flushes this too
        assert self._file is not None
        self._flushed.append(self._flusher.submit(os.fdatasync, self._file))

    def _tell_of_flushing(self) -> None:
        """Raise what went wrong with what has been flushed meanwhile."""
        done = [one for one in self._flushed if one.done()]
        self._flushed = [one for one in self._flushed if not one.done()]
        for one in done:
            one.result()

    def _let_go_of_file(self) -> None:
        if self._flusher is not None:
            self._flusher.shutdown()
            self._flusher = None
            self._flushed.clear()
        if self._file is not None:
            os.close(self._file)
            self._file = None


class Journals:
    """All journals of this user, below a folder that only the application chooses."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def claim(self, path: Path | None, digest: str | None = None) -> Journal:
        """Return the journal for a project that a window opens; without a path for one with no file yet.

        Raises
        ------
        InUseError
            If another window has this project open.
        """
        if path is None:
            return Journal(self._folder / f"{_UNTITLED}{secrets.token_hex(8)}", None, None)
        real = Path(os.path.realpath(path))
        journal = Journal(self._folder / _key(real), real, digest)
        try:
            journal.hold()
        except InUseError:
            raise InUseError(tr("{name} is open in another window.", name=path.name)) from None
        except (DiskError, OSError):
            pass  # said when there is something to keep
        return journal

    def lost(self, held: Journal) -> list[LostWork]:
        """Return all work that dead windows have left, the newest first; work that is the same comes once.

        What lies in the folders of windows that live is theirs to offer; `held` is this one's own.
        """
        found: list[LostWork] = []
        for file in self._lost_files(held):
            with contextlib.suppress(EpiphaneError, ValueError):
                found.append(_read_lost(file))
        found.sort(key=lambda work: work.ended, reverse=True)
        kept: list[LostWork] = []
        for work in found:
            if any(
                (work.project_path, work.project) == (other.project_path, other.project) for other in kept
            ):
                self.forget(work)
            else:
                kept.append(work)
        return kept

    def lost_of(self, held: Journal, digest: str | None) -> list[LostWork]:
        """Return the lost work of the project that `held` belongs to, the newest first.

        That of a project that has been moved is found by its file's hash.
        """
        return [
            work
            for work in self.lost(held)
            if held.path is not None
            and work.project_path is not None
            and (work.project_path == held.path or self._has_moved(work, digest))
        ]

    def forget(self, work: LostWork) -> None:
        """Remove lost work: it has been brought back, or nobody wants it."""
        with contextlib.suppress(OSError):
            work.file.unlink(missing_ok=True)

    def _has_moved(self, work: LostWork, digest: str | None) -> bool:
        if digest is None or work.project_path is None or work.project_path.exists():
            return False
        return _read_head(work.file).digest == digest

    def _lost_files(self, held: Journal) -> Iterator[Path]:
        """Yield the journals that nobody writes to; folders of dead windows without any are removed."""
        try:
            folders = [path for path in self._folder.iterdir() if path.is_dir() and not path.is_symlink()]
        except OSError:
            return
        for folder in folders:
            if folder == held.folder:
                yield from folder.glob(f"{_LOST}*")
                continue
            try:
                lock = open_own(folder / _LOCK, os.O_RDWR)
            except DiskError:
                continue
            try:
                if _is_locked_by_us(lock, n_tries=1):
                    files = [*folder.glob(f"{_LOST}*"), *folder.glob(_JOURNAL)]
                    if not files:
                        shutil.rmtree(folder, ignore_errors=True)
                    yield from files
            finally:
                os.close(lock)


def _key(real: Path) -> str:
    return hashlib.blake2b(os.fsencode(real), digest_size=16).hexdigest()


def _is_locked_by_us(handle: int, *, n_tries: int = _TRIES) -> bool:
    for number in range(n_tries):
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if number + 1 < n_tries:
                time.sleep(_TRY_SECONDS)
        else:
            return True
    return False


def _records(file: Path) -> Iterator[Any]:
    """Yield what the lines of a journal hold, up to the first that is broken.

    Raises
    ------
    DiskError
        If it is no file of this user.
    """
    with os.fdopen(open_own(file, os.O_RDONLY), "rb") as stream:
        while line := stream.readline(_LONGEST_LINE):
            text = line[_CHECKSUM_BYTES:-1]
            if line[:_CHECKSUM_BYTES] != b"%08x " % zlib.crc32(text):
                return
            yield decode_json(text)


def _read_head(file: Path) -> _Head:
    head = convert_part(next(_records(file), None), _Head)
    assert isinstance(head, _Head)
    return head


def _read_lost(file: Path) -> LostWork:
    """Return what a journal holds.

    Raises
    ------
    EpiphaneError, ValueError
        If no state of it can be read.
    """
    head = _read_head(file)
    raw: dict[str, Any] | None = None
    n_edits = 0
    for record in islice(_records(file), 1, None):
        if "whole" in record:
            raw, n_edits = record["whole"], record["n_edits"]
        elif raw is not None:
            raw, n_edits = with_changes_done(raw, record["changes"]), n_edits + 1
    if raw is None:
        raise ProjectFileError(tr("{file} holds no work.", file=file))
    project = decode_project(encode_compactly(raw), where=file.name)
    path = None if head.path is None else Path(head.path)
    if path is not None:
        project = with_absolute_paths(project, path.parent)
    return LostWork(file, path, project, n_edits, file.stat().st_mtime)
