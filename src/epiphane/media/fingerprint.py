"""Content fingerprints of files."""

import hashlib
from pathlib import Path

from epiphane.disk import open_regular, short_name, why_unreadable
from epiphane.errors import MediaError
from epiphane.wording import tr

_BLOCK = 1 << 20


def content_hash(path: Path) -> str:
    """Return the BLAKE2b hash (32 hexadecimal digits) of a whole file.

    Raises
    ------
    MediaError
        If it cannot be read.
    """
    _check(path)
    digest = hashlib.blake2b(digest_size=16)
    try:
        with open_regular(path) as file:
            while block := file.read(_BLOCK):
                digest.update(block)
    except OSError as error:
        raise MediaError(
            tr("{name} cannot be read: {reason}.", name=path.name, reason=error.strerror)
        ) from None
    return digest.hexdigest()


def fingerprint(path: Path) -> str:
    """Return a hash of a file's size, first, middle and last megabyte: quick for long footage.

    Raises
    ------
    MediaError
        If it cannot be read.
    """
    _check(path)
    try:
        size = path.stat().st_size
        digest = hashlib.blake2b(str(size).encode(), digest_size=16)
        with open_regular(path) as file:
            for start in (0, max(0, size // 2 - _BLOCK // 2), max(0, size - _BLOCK)):
                file.seek(start)
                digest.update(file.read(_BLOCK))
    except OSError as error:
        raise MediaError(
            tr("{name} cannot be read: {reason}.", name=path.name, reason=error.strerror)
        ) from None
    return digest.hexdigest()


def _check(path: Path) -> None:
    if reason := why_unreadable(path):
        raise MediaError(f"{short_name(path)} {reason}.")
