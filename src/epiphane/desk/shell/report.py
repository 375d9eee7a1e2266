"""Problem reports: log and versions, packed in one file that the user sends."""

from pathlib import Path

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.look.asking import ask_new_file
from epiphane.document.project import Project
from epiphane.errors import DiskError
from epiphane.log import write_report
from epiphane.wording import tr


def report_problem(editor: Editor, window: QWidget) -> None:
    """Ask where the report is to be written, and write it."""
    proposed = Path.home() / "epiphane-report.zip"
    path = ask_new_file(window, tr("Report a problem"), proposed, "ZIP (*.zip)", ".zip")
    if path is None:
        return
    try:
        write_report(path, {**_display(), **_amounts(editor.project)})
    except DiskError as error:
        editor.said.emit(tr("The report was not written: {error}", error=error), True)
        return
    text = tr(
        "{name} holds the log and versions, and no names, pictures or sounds. Add what you did.",
        name=path.name,
    )
    editor.said.emit(text, False)


def _display() -> dict[str, str]:
    screens = [
        f"{screen.size().width()}x{screen.size().height()} at {screen.devicePixelRatio():g}"
        for screen in QGuiApplication.screens()
    ]
    return {
        "qt": f"{QT_VERSION_STR}, PyQt {PYQT_VERSION_STR}, {QGuiApplication.platformName()}",
        "screens": ", ".join(screens),
    }


def _amounts(project: Project) -> dict[str, str]:
    """Return how much of everything the project has, and nothing of what it is."""
    song = project.song
    effects = sorted({lane.effect for lane in project.lanes})
    return {
        "film": tr(
            "{width}x{height}, {rate} fps, {n_frames} frames",
            width=project.width,
            height=project.height,
            rate=project.rate,
            n_frames=project.n_frames,
        ),
        "song": tr("none")
        if song is None
        else tr("{duration:.0f} s, {count} beats", duration=song.duration, count=len(song.beats)),
        "footage": str(len(project.footage)),
        "shots": str(len(project.shots)),
        "lanes": f"{len(project.lanes)} ({', '.join(effects)})",
        "pulses": str(len(project.pulses)),
    }
