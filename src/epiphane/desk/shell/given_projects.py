"""Projects that are opened elsewhere, in a file manager or a terminal, while the window runs."""

from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QObject, QSocketNotifier, pyqtSignal

from epiphane.files.running_window import listen_for_projects, project_given


class GivenProjects(QObject):
    """Hears of projects; of several windows the first one does.

    Signals
    -------
    given(project: Path)
        The window is to open a project.
    """

    given = pyqtSignal(Path)

    def __init__(self) -> None:
        super().__init__()
        self._listening = listen_for_projects()
        if self._listening is not None:
            number = sip.voidptr(self._listening.fileno())
            self._notifier = QSocketNotifier(number, QSocketNotifier.Type.Read, self)
            self._notifier.activated.connect(self._take)

    def close(self) -> None:
        """Hear no more."""
        if self._listening is not None:
            self._notifier.setEnabled(False)
            self._listening.close()
            self._listening = None

    def _take(self) -> None:
        project = None if self._listening is None else project_given(self._listening)
        if project is not None:
            self.given.emit(project)
