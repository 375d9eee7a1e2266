"""Safe file access: bounded reads of regular files, atomic writes.

What is read is a regular file of a bounded size; what is written is whole or not there. Every other
module that opens a file by a path it was given asks here first.
"""

import contextlib
import fcntl
import os
import secrets
import stat
from collections.abc import Iterable
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, Self

from epiphane.errors import DiskError
from epiphane.wording import tr

MOST_PROJECT_BYTES = 64 << 20
_NAME_LENGTH = 60
_PART = ".part"

_withheld: frozenset[Path] = frozenset()


def withhold(folders: Iterable[Path]) -> None:
    """Let no file in these folders, or below them, be read any more; those withheld before are free again."""
    global _withheld  # noqa: PLW0603  # one gate for the process: whatever reads has to pass it
    _withheld = frozenset(folders)


def withheld() -> frozenset[Path]:
    """Return the folders in which no file is read."""
    return _withheld


def short_name(path: Path) -> str:
    """Return the name of a file for a message: at most 60 characters, none of which is invisible."""
    name = "".join(letter if letter.isprintable() else "?" for letter in path.name)
    if len(name) <= _NAME_LENGTH:
        return name
    return f"{name[: _NAME_LENGTH // 2]}…{name[-_NAME_LENGTH // 3 :]}"


def is_file(path: Path | str) -> bool:
    """Whether there is a regular file, a link to one included; a path that cannot be is False."""
    return os.path.isfile(path)  # noqa: PTH113  # Path.is_file raises on names too long or with a zero byte


def why_unreadable(path: Path) -> str:
    """Return why a file is not to be opened, to follow its name in a sentence, or nothing."""
    try:
        facts = os.stat(path)  # noqa: PTH116  # as above
    except (ValueError, OSError) as error:
        if isinstance(error, ValueError) or error.errno == 36:  # ENAMETOOLONG
            return "has a name that no file can have"
        return "is not there any more" if isinstance(error, FileNotFoundError) else "cannot be read"
    if stat.S_ISDIR(facts.st_mode):
        return "is a folder"
    if not stat.S_ISREG(facts.st_mode):
        return "is a pipe or a device, no file"
    if _withheld and not _withheld.isdisjoint(Path(os.path.realpath(path)).parents):
        return "lies in a folder that this project was not allowed to read"
    return ""


def open_regular(path: Path) -> BinaryIO:
    """Return a regular file, open for reading: the one way to open what somebody else named.

    Raises
    ------
    DiskError
        If it is none, or may not be read.
    OSError
        If the system cannot open it.
    """
    if reason := why_unreadable(path):
        raise DiskError(f"{short_name(path)} {reason}.")
    # Without waiting: what has become a pipe since would never open.
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise DiskError(tr("{name} is a pipe or a device, no file.", name=short_name(path)))
    return os.fdopen(handle, "rb")


def read_file(path: Path, *, most_bytes: int) -> bytes:
    """Return the content of a regular file.

    Raises
    ------
    DiskError
        If it is none, larger than `most_bytes`, or cannot be read.
    """
    try:
        with open_regular(path) as file:
            n_bytes = os.fstat(file.fileno()).st_size
            if n_bytes > most_bytes:
                raise DiskError(
                    tr(
                        "{name} is {n_bytes:.0f} MB large, more than the {most:.0f} MB that are"
                        " read of such a file.",
                        name=short_name(path),
                        n_bytes=n_bytes / 1000000.0,
                        most=most_bytes / 1000000.0,
                    )
                )
            return file.read(most_bytes)
    except OSError as error:
        raise DiskError(
            tr(
                "{name} cannot be read: {reason}.",
                name=short_name(path),
                reason=error.strerror,
            )
        ) from None


class PartFile:
    """A file in the making beside its final place: hidden, the writer's alone, and locked while it lives.

    Used as a context: leaving it without `publish` removes it. The file has a name that nobody can foresee,
    is made anew and never through a link. Locked as it is, `remove_abandoned` knows those of the dead.

    Attributes
    ----------
    path : Path
        Where to write.

    Raises
    ------
    DiskError
        If it cannot be made.
    """

    def __init__(self, target: Path) -> None:
        self._target = target
        self.path = target.with_name(f".{target.name[:100]}.{secrets.token_hex(6)}{_PART}")
        flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        self._is_new = not target.exists()
        try:
            # A new file has the rights that any new one has; what replaces another is private until then.
            self._handle = os.open(self.path, flags, 0o666 if self._is_new else 0o600)
        except (OSError, ValueError) as error:
            words = error.strerror if isinstance(error, OSError) else "no file can have this name"
            raise DiskError(tr("{target} cannot be written: {words}.", target=target, words=words)) from None
        with contextlib.suppress(OSError):  # some network disks have no locks
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def write(self, content: bytes) -> None:
        """Add to the file."""
        rest = memoryview(content)
        while rest:
            rest = rest[os.write(self._handle, rest) :]

    def publish(self) -> None:
        """Flush it to the disk, give it the rights that the target has, and put it in its place."""
        if not self._is_new:
            _dress(self._handle, self._target)
        os.fsync(self._handle)
        self.path.replace(self._target)
        flush_folder(self._target.parent)

    def remove(self) -> None:
        """Remove it, unless it has been published, and let go of it."""
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.close(self._handle)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.remove()


def write_atomically(path: Path, content: bytes) -> None:
    """Write a file so that a reader sees the old content or the new one, never a part.

    A link stays a link: what it points to is written. Mode and owner of a file that is there are kept.

    Raises
    ------
    DiskError
        If it cannot be written, is read-only, or is no regular file; what was there is untouched.
    """
    target = Path(os.path.realpath(path))
    if reason := why_unwritable(target):
        raise DiskError(f"{short_name(path)} {reason}.")
    try:
        with PartFile(target) as part:
            part.write(content)
            part.publish()
    except OSError as error:
        raise DiskError(tr("{path} cannot be written: {reason}.", path=path, reason=error.strerror)) from None


def why_unwritable(path: Path) -> str:
    """Return why a file is not to be replaced, to follow its name in a sentence, or nothing."""
    try:
        facts = os.stat(path)  # noqa: PTH116
    except FileNotFoundError:
        return ""
    except (ValueError, OSError):
        return "has a name that no file can have"
    if stat.S_ISDIR(facts.st_mode):
        return "cannot be written: it is a folder"
    if not stat.S_ISREG(facts.st_mode):
        return "cannot be written: it is a pipe or a device"
    if not facts.st_mode & 0o222 or not os.access(path, os.W_OK):
        return "cannot be written: it is read-only; choose another name, or allow writing to it"
    return ""


def remove_abandoned(folder: Path, name: str = "") -> None:
    """Remove the part files in a folder, of the file `name` if given, whose writers are dead."""
    beginning = f".{name[:100]}." if name else "."
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            if path.name.startswith(beginning) and path.name.endswith(_PART) and _is_abandoned(path):
                with contextlib.suppress(OSError):
                    path.unlink()


def flush_folder(folder: Path) -> None:
    """Have the names in a folder outlast a power cut, where the disk can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def oldest_first(folder: Path) -> list[tuple[float, int, Path]]:
    """Return when each finished file of a folder was last used, its size and its place; the oldest first."""
    kept = []
    for path in folder.glob("*.*"):
        try:
            facts = path.stat()
        except OSError:
            continue
        if path.suffix != ".part":
            kept.append((facts.st_mtime, facts.st_size, path))
    return sorted(kept)


def keep_within(folder: Path, most_bytes: int) -> None:
    """Delete the files of a folder that were unused for longest, until the rest is no larger than that.

    The newest stays, however large it is.
    """
    kept = oldest_first(folder)
    total = sum(size for _, size, _ in kept)
    for _, size, path in kept[:-1]:
        if total <= most_bytes:
            break
        path.unlink(missing_ok=True)
        total -= size


def private_folder(path: Path) -> Path:
    """Return a folder that is made if need be, and that is this user's own and nobody's link.

    Raises
    ------
    DiskError
        If it is not, or cannot be made.
    """
    try:
        path.mkdir(parents=True, exist_ok=True, mode=0o700)
        facts = path.lstat()
    except OSError as error:
        raise DiskError(tr("{path} cannot be made: {reason}.", path=path, reason=error.strerror)) from None
    if not stat.S_ISDIR(facts.st_mode) or facts.st_uid != os.geteuid():
        raise DiskError(tr("{path} is not a folder of yours; move it away.", path=path))
    return path


def open_own(path: Path, flags: int) -> int:
    """Open a file of this user that is no link, regular, and readable by nobody else when it is made.

    Returns
    -------
    A file descriptor.

    Raises
    ------
    DiskError
        If it is anything else, or cannot be opened.
    """
    try:
        handle = os.open(path, flags | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, 0o600)
    except (OSError, ValueError) as error:
        words = error.strerror if isinstance(error, OSError) else "no file can have this name"
        raise DiskError(tr("{path} cannot be opened: {words}.", path=path, words=words)) from None
    facts = os.fstat(handle)
    if not stat.S_ISREG(facts.st_mode) or facts.st_uid != os.geteuid():
        os.close(handle)
        raise DiskError(tr("{path} is not a file of yours; move it away.", path=path))
    return handle


def _is_abandoned(path: Path) -> bool:
    try:
        handle = open_own(path, os.O_RDWR)
    except DiskError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    else:
        return True
    finally:
        os.close(handle)


def _dress(handle: int, target: Path) -> None:
    """Give an open file the mode and owner of the one that it replaces."""
    facts = target.stat()
    with contextlib.suppress(OSError):
        os.fchown(handle, facts.st_uid, facts.st_gid)
    os.fchmod(handle, stat.S_IMODE(facts.st_mode))
