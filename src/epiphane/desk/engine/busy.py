"""What is seen while the window itself is at work for longer than a moment."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QEventLoop, Qt
from PyQt6.QtWidgets import QApplication


@contextmanager
def shown_busy(say: Callable[[], object]) -> Iterator[None]:
    """Have the window `say` what it does, and the pointer that it has to be waited for, until it is done."""
    say()
    QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
    QApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    try:
        yield
    finally:
        QApplication.restoreOverrideCursor()
