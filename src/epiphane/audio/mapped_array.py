"""Long arrays built block by block in a memory-mapped file.

A song of three hours is 4 GB of samples. Short ones stay in memory; long ones lie in a file without a name,
of which the system keeps in memory what is being used. To whoever reads them they are arrays.
"""

import mmap
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

import numpy as np
import platformdirs

from epiphane.disk import private_folder
from epiphane.errors import DiskError
from epiphane.types import Float32Array
from epiphane.wording import tr

MOST_IN_MEMORY = 112 << 20
"""Bytes of an array that stay in memory: five minutes of stereo."""
_VALUES_AT_ONCE = 1 << 20


class ArrayBuilder:
    """Collects the rows of a float32 array.

    Parameters
    ----------
    n_columns : int or None
        None for an array of one dimension.
    """

    def __init__(self, n_columns: int | None = None) -> None:
        self._n_columns = n_columns
        # Joined to blocks of some megabytes: memory that is freed in crumbs stays with the process.
        self._small: list[Float32Array] = []
        self._n_small = 0
        self._blocks: list[Float32Array] = []
        self._file: IO[bytes] | None = None
        self._n_rows = 0

    def __len__(self) -> int:
        return self._n_rows

    def add(self, block: Float32Array) -> None:
        """Put rows at the end.

        Raises
        ------
        DiskError
            If there are many, and the disk is full.
        """
        self._small.append(np.ascontiguousarray(block, np.float32))
        self._n_rows += len(block)
        self._n_small += len(block)
        if self._n_small * (self._n_columns or 1) >= _VALUES_AT_ONCE:
            self._join()

    def _join(self) -> None:
        """Make a block of what came in small ones, and write it if there are many rows."""
        if not self._small:
            return
        self._blocks.append(np.concatenate(self._small))
        self._small, self._n_small = [], 0
        if self._n_rows * 4 * (self._n_columns or 1) <= MOST_IN_MEMORY:
            return
        try:
            self._file = self._file or _nameless_file()
            for block in self._blocks:
                self._file.write(block.data if block.size else b"")
        except OSError as error:
            raise DiskError(
                tr("There is no room for a long sound on the disk: {reason}.", reason=error.strerror)
            ) from None
        self._blocks = []

    def array(self) -> Float32Array:
        """Return all rows, float32, shape (n_rows,) or (n_rows, n_columns); do not write to it."""
        self._join()
        shape = (self._n_rows,) if self._n_columns is None else (self._n_rows, self._n_columns)
        if self._file is None:
            return np.concatenate(self._blocks) if self._blocks else np.zeros(shape, np.float32)
        self._file.flush()
        mapping = mmap.mmap(self._file.fileno(), 0, access=mmap.ACCESS_READ)
        self._file.close()  # the mapping keeps it
        return np.frombuffer(mapping, np.float32).reshape(shape)


def in_blocks(array: Float32Array) -> Iterator[Float32Array]:
    """Yield an array in parts of a million values; what was read of a long one leaves memory again."""
    n_rows = max(1, _VALUES_AT_ONCE // (array.shape[1] if array.ndim > 1 else 1))
    for first in range(0, len(array), n_rows):
        yield array[first : first + n_rows]
        release(array)


def release(array: Float32Array) -> None:
    """Let what was read of a long array leave memory, until it is read again."""
    owner: object = array
    while owner is not None and not isinstance(owner, mmap.mmap):
        owner = owner.base if isinstance(owner, np.ndarray) else getattr(owner, "obj", None)
    if owner is not None:
        owner.madvise(mmap.MADV_DONTNEED)


def _nameless_file() -> IO[bytes]:
    """Return a file that is gone when it is closed; in the user's cache, as `/tmp` may be memory."""
    folder = Path(platformdirs.user_cache_dir("epiphane")) / "sound"
    try:
        private_folder(folder)
        return tempfile.TemporaryFile(dir=folder)
    except (OSError, DiskError):
        return tempfile.TemporaryFile()
