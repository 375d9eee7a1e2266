"""A timer that runs something once, some time after it was last asked for."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


def debounced(parent: QObject, milliseconds: int, then: Callable[[], None]) -> QTimer:
    """Return a timer; each ``start()`` puts off `then` until that long after the last one."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(then)
    return timer
