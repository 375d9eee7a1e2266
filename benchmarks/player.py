"""The child of the playback measurement: plays the demo twice and notes when pictures are painted."""

import faulthandler
import json
import sys
import time
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QSplitter

from benchmarks.effects import stacked
from benchmarks.grade import with_grade_over_all
from benchmarks.window import wait
from epiphane.desk.shell.app import make_application
from epiphane.desk.shell.window import Window
from epiphane.document.project import with_lanes
from epiphane.edits.picture import set_rate

RUNS = (
    "cold",
    "warm",
    "six at once, cold",
    "six at once, warm",
    "six at once at 60 fps, cold",
    "six at once at 60 fps, prepared",
    _GRADED := "graded at 60 fps, two struck lanes, with scopes",
)
_SETTLED_STEPS = 30
_PICTURE_WIDTH = 976  # of the panel; the picture in it is then drawn at 960x540


class _Paints(QObject):
    """Notes when the picture view has painted, and which frame it showed."""

    def __init__(self, window: Window) -> None:
        super().__init__()
        self._frame = -1
        self.painted: list[tuple[int, float]] = []
        window.playback.shown.connect(self._on_shown)
        window.picture.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Paint and self._frame >= 0:
            self.painted.append((self._frame, time.monotonic()))
            self._frame = -1
        return False

    def _on_shown(self, _picture: object, frame: int) -> None:
        self._frame = frame


def _prepare(window: Window) -> None:
    """Have as many frames drawn as are kept at once: all of a short film, of a longer one what fits."""
    wait(1000)  # until playback itself has said what it wants
    window.frames.want(range(window.editor.project.n_frames))
    n_ready, unchanged = -1, 0
    while unchanged < _SETTLED_STEPS:
        wait(100)
        now = len(window.frames.ready())
        unchanged = 0 if now > n_ready else unchanged + 1
        n_ready = max(n_ready, now)


def main(out: Path, journals: Path) -> None:
    faulthandler.enable()
    application = make_application(["epiphane"])  # kept: Qt needs it to the end
    window = Window(journal_folder=journals)
    window.resize(1680, 1000)
    window.show()
    across = next(s for s in window.findChildren(QSplitter) if s.orientation() is Qt.Orientation.Horizontal)
    across.setSizes([_PICTURE_WIDTH, 1680 - _PICTURE_WIDTH])
    wait(50)
    window.files.open_demo()
    while window.editor.heard is None:
        wait(20)
    result: dict[str, object] = {"size": window.frames.size}
    changes = {
        "six at once, cold": stacked,
        "six at once at 60 fps, cold": lambda project: set_rate(project, Fraction(60)),
        _GRADED: lambda project: with_grade_over_all(with_lanes(project, project.lanes[:2])),
    }
    for name in RUNS:
        if name in changes:
            window.editor.apply(changes[name], name)
        if name == _GRADED:
            window.scopes.toggle()
        if name.endswith("prepared"):
            _prepare(window)
        window.editor.go_to(0)
        paints = _Paints(window)
        window.playback.play()
        while window.playback.is_playing:
            wait(50)
        count = window.playback.punctuality
        result[name] = {"n_due": count.n_due, "n_shown": count.n_shown, "painted": paints.painted}
        paints.deleteLater()
        wait(300)
    out.write_text(json.dumps(result))
    window.shut_down()
    sip.delete(window)
    application.quit()


if __name__ == "__main__":
    with TemporaryDirectory() as folder:
        main(Path(sys.argv[1]), Path(folder))
