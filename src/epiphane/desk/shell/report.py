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


def report_problem(editor: Editor, window: QWidget) -> None:
    """Ask where the report is to be written, and write it."""
    proposed = Path.home() / "epiphane-report.zip"
    path = ask_new_file(window, "Report a problem", proposed, "ZIP (*.zip)", ".zip")
    if path is None:
        return
    try:
        write_report(path, {**_display(), **_amounts(editor.project)})
    except DiskError as error:
        editor.said.emit(f"The report was not written: {error}", True)
        return
    text = f"{path.name} holds the log and versions, and no names, pictures or sounds. Add what you did."
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
        "film": f"{project.width}x{project.height}, {project.rate} fps, {project.n_frames} frames",
        "song": "none" if song is None else f"{song.duration:.0f} s, {len(song.beats)} beats",
        "footage": str(len(project.footage)),
        "shots": str(len(project.shots)),
        "lanes": f"{len(project.lanes)} ({', '.join(effects)})",
        "pulses": str(len(project.pulses)),
    }
