"""Limits of caches, and returning freed memory to the system (malloc_trim).

Pictures are allocated and freed in threads; the C library keeps what is freed for each of them, which after
some minutes of work is ten times what is in use (measured in `benchmarks`, memory).
"""

import ctypes
import threading
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from epiphane.log import logger

PICTURE_BYTES = 200 << 20
"""Of frames as they were drawn: 130 at 960x540, 500 at 480x270."""
PACKED_BYTES = 140 << 20
"""Of those packed, as JPEG: a minute or more."""
FOOTAGE_BYTES = 160 << 20
"""Of stills and the last pictures of open clips, for frames."""
THUMB_FOOTAGE_BYTES = 64 << 20
"""The same for thumbnails."""

_MOST_ARENAS = 4
_M_ARENA_MAX = -8  # of mallopt(3)
_LOOK_MILLISECONDS = 4000
_GROWN_BYTES = 96 << 20


class MemoryKeeper(QObject):
    """Looks now and then whether the process has grown, and gives back what is free.

    Parameters
    ----------
    parent : QObject
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._library = _c_library()
        self._last_bytes = 0
        self._is_trimming = threading.Lock()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MILLISECONDS)
        self._timer.timeout.connect(self._look)
        if self._library is not None:
            self._timer.start()

    def _look(self) -> None:
        if resident_bytes() > self._last_bytes + _GROWN_BYTES:
            threading.Thread(target=self._trim, daemon=True, name="memory").start()

    def _trim(self) -> None:
        """Runs in a thread of its own: it may take a tenth of a second."""
        if self._library is None or not self._is_trimming.acquire(blocking=False):
            return
        try:
            self._library.malloc_trim(0)
            self._last_bytes = resident_bytes()
        finally:
            self._is_trimming.release()


def limit_arenas() -> None:
    """Have threads share a few pools of memory; before any of them begins."""
    library = _c_library()
    if library is not None and not library.mallopt(_M_ARENA_MAX, _MOST_ARENAS):
        logger.info("the number of memory arenas cannot be set")


def resident_bytes() -> int:
    """Return how much of the process's own memory lies in the machine's (proc(5), /proc/self/status)."""
    try:
        lines = Path("/proc/self/status").read_text(encoding="ascii").splitlines()
    except OSError:
        return 0
    words = next((line.split() for line in lines if line.startswith("RssAnon")), ["", "0"])
    return int(words[1]) * 1024


def _c_library() -> ctypes.CDLL | None:
    """Return the C library if it is one that can give memory back."""
    try:
        library = ctypes.CDLL("libc.so.6")
        return library if hasattr(library, "malloc_trim") and hasattr(library, "mallopt") else None
    except OSError:
        return None
