"""How the C library keeps memory: few pools, and large blocks that are used again (mallopt(3), glibc)."""

import ctypes
from functools import lru_cache

from epiphane.log import logger

_MOST_ARENAS = 4
_MOST_HEAP_BLOCK, _MOST_FREE_TOP = 32 << 20, 512 << 20
# Of mallopt(3).
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD, _M_ARENA_MAX = -1, -3, -8


def tune_heap() -> None:
    """Have threads share a few pools of memory, and pictures use it again; before any thread begins.

    Otherwise each picture is given back to the system when it is freed, and its pages come anew for the next
    one: filters of several steps take up to twice as long.
    """
    library = c_library()
    if library is None:
        return
    for what, value in (
        (_M_ARENA_MAX, _MOST_ARENAS),
        (_M_MMAP_THRESHOLD, _MOST_HEAP_BLOCK),
        (_M_TRIM_THRESHOLD, _MOST_FREE_TOP),
    ):
        if not library.mallopt(what, value):
            logger.info("the C library does not take %d for %d of mallopt", value, what)


def give_back() -> None:
    """Give memory that is free back to the system; it may take a tenth of a second."""
    library = c_library()
    if library is not None:
        library.malloc_trim(0)


@lru_cache(maxsize=1)
def c_library() -> ctypes.CDLL | None:
    """Return the C library if it is one that can give memory back."""
    try:
        library = ctypes.CDLL("libc.so.6")
    except OSError:
        return None
    return library if hasattr(library, "malloc_trim") and hasattr(library, "mallopt") else None
