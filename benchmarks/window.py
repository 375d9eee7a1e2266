"""The window, offscreen, with a long song in it; how long something takes in it."""

import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING

import numpy as np

from benchmarks.result import Result, at_least
from epiphane.audio.band_levels import SongLevels
from epiphane.audio.heard import HeardSong, Listening
from epiphane.audio.samples import Samples
from epiphane.document.project import Project

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

MINUTES = 4
_FRAME_MILLISECONDS = 1000 / 60
_N_SCROLLS = 120
_KEPT: list[object] = []
"""The application, which is gone when nobody holds it."""


def wait(milliseconds: int) -> None:
    """Let the window work for some milliseconds."""
    from PyQt6.QtTest import QTest

    QTest.qWait(milliseconds)  # type: ignore[arg-type, call-arg]  # its stub takes it for a method


def milliseconds(work: Callable[[], object], n_times: int = 7) -> float:
    """Return how long something takes, the median of some times."""
    took = []
    for _ in range(n_times):
        start = time.perf_counter()
        work()
        took.append(1000 * (time.perf_counter() - start))
    return median(took)


def open_window(folder: Path, project: Project, levels: SongLevels | None) -> "Window":
    """Return a window with a project of some minutes, whose song is noise to the eye and silent."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtWidgets import QApplication

    from epiphane.desk.shell.app import make_application
    from epiphane.desk.shell.window import Window

    _KEPT[:] = [make_application(["bench"])]
    window = Window(journal_folder=folder)
    window.resize(1280, 800)
    window.show()
    window.editor.open(project, None)
    seconds = project.song.duration if project.song is not None else MINUTES * 60.0
    waveform = np.random.default_rng(0).random((round(seconds * 200), 3)).astype(np.float32)
    silence = Samples(np.zeros((10 * 48_000, 2), np.float32), 48_000)
    listening = Listening(seconds, 150.0, True, (), waveform, levels=levels)
    window.editor.take_song(HeardSong("song.wav", "f" * 32, silence, listening))
    QApplication.processEvents()
    return window


def scrolled(window: "Window", what: str) -> Iterator[Result]:
    """Go through the whole score at 60 steps a second, and tell how many are there before the next is due."""
    from PyQt6.QtWidgets import QApplication

    bar, viewport = window.score.verticalScrollBar(), window.score.viewport()
    assert bar is not None and viewport is not None
    took, due = [], time.perf_counter()
    for step in range(_N_SCROLLS):
        while time.perf_counter() < due:
            QApplication.processEvents()
        bar.setValue(step * bar.maximum() // _N_SCROLLS)
        viewport.repaint()
        took.append(1000 * (time.perf_counter() - due))
        due = max(due + _FRAME_MILLISECONDS / 1000, time.perf_counter())
    share = 100 * float(np.mean(np.array(took) <= _FRAME_MILLISECONDS))
    yield at_least(f"pictures of a scroll on time, 60 a second, {what}", share, 95, "%")
    yield Result("  slowest", f"{max(took):.1f} ms")
    bar.setValue(0)
