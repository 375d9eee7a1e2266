"""Limits of caches, and returning freed memory to the system (malloc_trim).

Pictures are allocated and freed in threads; the C library keeps what is freed for each of them, which after
some minutes of work is ten times what is in use (measured in `benchmarks`, memory).
"""

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from epiphane.heap import c_library, give_back

PICTURE_BYTES = 200 << 20
"""Of frames as they were drawn: 130 at 960x540, 500 at 480x270."""
PACKED_BYTES = 140 << 20
"""Of those packed, as JPEG: a minute or more."""
FOOTAGE_BYTES = 160 << 20
"""Of stills and the last pictures of open clips, for frames."""
THUMB_FOOTAGE_BYTES = 64 << 20
"""The same for thumbnails."""

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
        self._last_bytes = 0
        self._is_trimming = threading.Lock()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MILLISECONDS)
        self._timer.timeout.connect(self._look)
        if c_library() is not None:
            self._timer.start()

    def _look(self) -> None:
        if resident_bytes() > self._last_bytes + _GROWN_BYTES:
            threading.Thread(target=self._trim, daemon=True, name="memory").start()

    def _trim(self) -> None:
        """Runs in a thread of its own: it may take a tenth of a second."""
        if not self._is_trimming.acquire(blocking=False):
            return
        try:
            give_back()
            self._last_bytes = resident_bytes()
        finally:
            self._is_trimming.release()


def resident_bytes() -> int:
    """Return how much of the process's own memory lies in the machine's (proc(5), /proc/self/status)."""
    try:
        lines = Path("/proc/self/status").read_text(encoding="ascii").splitlines()
    except OSError:
        return 0
    words = next((line.split() for line in lines if line.startswith("RssAnon")), ["", "0"])
    return int(words[1]) * 1024
