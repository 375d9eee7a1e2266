"""A timer that runs something once, some time after it was last asked for."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtBoundSignal


def debounced(parent: QObject, milliseconds: int, then: Callable[[], None] | pyqtBoundSignal) -> QTimer:
    """Return a timer; each ``start()`` puts off `then` until that long after the last one.

    A signal is given itself, not its ``emit``: that would still be called when its object was collected as
    garbage, as C++ may destroy the timer later than that.
    """
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(then)
    return timer
