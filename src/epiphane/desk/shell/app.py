"""Starting the application."""

import logging
import os
import sys
import traceback
from functools import partial
from pathlib import Path
from types import TracebackType

from PyQt6 import sip
from PyQt6.QtCore import QMessageLogContext, QSize, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from epiphane.assets import ICONS
from epiphane.collecting import collection_paused
from epiphane.desk.engine.jobs import has_abandoned
from epiphane.desk.look import theme
from epiphane.desk.shell.desktop_wishes import DesktopWishes
from epiphane.desk.shell.given_projects import GivenProjects
from epiphane.desk.shell.window import Window
from epiphane.files.settings import note_desktop_text_size, text_size
from epiphane.files.trust import data_folder
from epiphane.log import logger, told
from epiphane.wording import tr

_TITLE_BAR = 40
"""What the desktop puts above a window, px; it is known only when the window is there."""


def make_application(arguments: list[str]) -> QApplication:
    """Return the dressed application; the one there is, if there is one."""
    size = text_size()
    if size != 1:
        os.environ.setdefault("QT_SCALE_FACTOR", str(size))
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(arguments)
    app.setApplicationName("epiphane")
    app.setApplicationDisplayName(tr("Epiphane"))
    app.setDesktopFileName("epiphane")
    app.setWindowIcon(QIcon(str(ICONS / "epiphane.svg")))
    theme.dress(app)
    return app


def made_window(app: QApplication) -> Window:
    """Return the window, shown, as large as its screen has room for."""
    window = Window(journal_folder=data_folder())
    screen = app.primaryScreen()
    if screen is not None:
        frame = QSize(0, _TITLE_BAR)
        window.fit_on(screen.availableGeometry().size() - frame)
    window.show()
    return window


def run(path: Path | None = None, *, demo: str | None = None) -> int:
    """Open the window, with a project or a demo in it (``cut`` or ``titles``), and stay until it is closed.

    Returns
    -------
    The exit code.
    """
    qInstallMessageHandler(_log_message)
    with collection_paused():
        app = make_application(sys.argv[:1])
        window = made_window(app)
    sys.excepthook = partial(_go_on_after, window)

    def open_first() -> None:
        if demo is not None:
            window.files.open_demo(with_titles=demo == "titles")
        elif path is None or not window.files.open_path(path):
            window.recovery.look()

    QTimer.singleShot(0, open_first)
    wishes = DesktopWishes()
    wishes.less_motion_wished.connect(window.shelf.be_still)
    wishes.text_size_wished.connect(note_desktop_text_size)
    wishes.ask()
    elsewhere = GivenProjects()
    elsewhere.given.connect(partial(open_given, window))
    code = app.exec()
    elsewhere.close()
    if has_abandoned():
        os._exit(code)  # a thread that hangs in the system would keep the process
    sys.excepthook = sys.__excepthook__
    sip.delete(window)  # first: Python lets go of both in any order, and without its application Qt may crash
    return code


def open_given(window: Window, project: Path) -> None:
    """Open a project that was opened elsewhere, in a window that comes to the front."""
    window.showNormal() if window.isMinimized() else window.show()
    window.raise_()
    window.activateWindow()
    window.files.leave_for(project)


def _go_on_after(
    window: Window, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """Tell of a mistake in Epiphane itself and go on: Qt would end the application instead."""
    traceback.print_exception(kind, error, trace)
    logger.error("went on after %s", told(error))
    text = tr(
        "Something in Epiphane went wrong ({error}). Your work is kept; save it, and report it with F12.",
        error=error,
    )
    window.notice.say(text, True)


def _log_message(kind: QtMsgType, _context: QMessageLogContext, text: str | None) -> None:
    """Take what Qt has to say into the log."""
    is_bad = kind in (QtMsgType.QtWarningMsg, QtMsgType.QtCriticalMsg, QtMsgType.QtFatalMsg)
    if is_bad:
        logging.getLogger("qt").warning("%s", text)
