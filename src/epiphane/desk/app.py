"""Starting the application."""

import sys
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from epiphane.desk import theme
from epiphane.desk.window import Window


def make_application(arguments: list[str]) -> QApplication:
    """Return the dressed application; the one there is, if there is one."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(arguments)
    app.setApplicationName("epiphane")
    app.setApplicationDisplayName("Epiphane")
    theme.dress(app)
    return app


def data_folder() -> Path:
    """Return where journals of unsaved projects are kept."""
    return Path(platformdirs.user_data_dir("epiphane"))


def run(path: Path | None = None, *, demo: bool = False) -> int:
    """Open the window, with a project or the demo in it, and stay until it is closed.

    Returns
    -------
    The exit code.
    """
    app = make_application(sys.argv[:1])
    window = Window(journal_folder=data_folder())
    window.show()

    def open_first() -> None:
        if demo:
            window.files.open_demo()
        elif path is not None:
            window.files.open_path(path)
        else:
            window.files.look_for_lost_work()

    QTimer.singleShot(0, open_first)
    return app.exec()
