"""How fluent the window is while clips are prepared and a film is exported; what an export adds in memory."""

import os
import random
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from benchmarks.footage import make_clips
from benchmarks.result import Result, at_least, at_most
from benchmarks.window import wait

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

_N_CLICKS, _PLAYED_SECONDS, _MOST_SECONDS = 24, 8, 300
_BETWEEN_CLICKS, _LATEST = 120, 10.0
_CACHE_BYTES = 48 << 20
"""Of pictures, so that hardly any frame that is clicked is there already."""
_MEGABYTE = 1 << 20
_KEPT: list[object] = []
"""The application, which is gone when nobody holds it."""
_AIM_MILLISECONDS, _AIM_SHARE, _AIM_EXPORT = 250, 90, 1200


def measure_busy(folder: Path) -> Iterator[Result]:
    """Click and play in an idle window, and again while footage is looked through and a film is exported."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ["XDG_CACHE_HOME"] = str(folder / "cache")

    from PyQt6.QtWidgets import QApplication

    from epiphane.desk.engine.memory import resident_bytes
    from epiphane.edits.picture import choose_shape
    from epiphane.heap import tune_heap

    tune_heap()
    window = _open(folder)
    idle_clicks, idle_played = _clicked(window), _played(window)
    yield Result("a click's picture, nothing else at work, median", f"{np.median(idle_clicks):.0f} ms")
    yield Result("  slowest", f"{max(idle_clicks):.0f} ms")
    yield Result("playing, nothing else at work", f"{idle_played:.1f} %")

    clips = folder / "clips"
    clips.mkdir()
    make_clips(clips)
    window.editor.apply(lambda p: choose_shape(p, width=1920, height=1080, rate=p.rate), "1080p")
    before = resident_bytes()
    window.files.gather([clips])
    window.footage.prepares = True
    window.bench.open_export()
    window.bench.export.set_path(folder / "film.mp4")
    window.bench.export.start()
    wait(3000)
    busy_clicks = _clicked(window)
    busy_played = _played(window)
    was_busy = window.exports.is_busy
    yield at_most(
        "a click's picture while busy, median", float(np.median(busy_clicks)), _AIM_MILLISECONDS, "ms"
    )
    yield Result("  slowest", f"{max(busy_clicks):.0f} ms" + ("" if was_busy else ", the export had ended"))
    share = 100 * busy_played / max(idle_played, 0.1)
    yield at_least("playing while busy, against idle", share, _AIM_SHARE, "%")
    most, until = before, time.monotonic() + _MOST_SECONDS
    while window.exports.is_busy and time.monotonic() < until:
        most = max(most, resident_bytes() + _bytes_of_export(window))
        wait(200)
    yield at_most(
        "memory that an export of 30 s at 1080p adds", (most - before) / _MEGABYTE, _AIM_EXPORT, "MB"
    )
    window.jobs.drop(lambda _topic: True)
    window.shut_down()
    QApplication.processEvents()


def _bytes_of_export(window: "Window") -> int:
    """Return the memory of the process that makes films."""
    process = window.exports._process
    try:
        pages = int(Path(f"/proc/{process.pid}/statm").read_text().split()[1]) if process is not None else 0
    except OSError:  # it has just ended
        return 0
    return pages * os.sysconf("SC_PAGE_SIZE")


def _open(folder: Path) -> "Window":
    """Return a window with the demo, hardly any of whose pictures are kept."""
    from epiphane.desk.control import playback
    from epiphane.desk.engine.sound import SimulatedSound
    from epiphane.desk.shell.app import make_application
    from epiphane.desk.shell.window import Window
    from epiphane.render.cache import PictureCache

    playback.open_sound = SimulatedSound  # type: ignore[attr-defined]
    _KEPT.append(make_application(["bench"]))
    window = Window(journal_folder=folder / "data")
    window.footage.prepares = False
    window.resize(1280, 800)
    window.show()
    window.files.open_demo()
    while window.editor.heard is None or window.jobs.running:
        wait(20)
    wait(1500)
    window.frames._cache = PictureCache(_CACHE_BYTES, _CACHE_BYTES)
    return window


def _clicked(window: "Window") -> list[float]:
    """Return how long it took from each click on a frame to its picture, in milliseconds."""
    chance, took = random.Random(4), []
    for _ in range(_N_CLICKS):
        frame = chance.randrange(window.editor.project.n_frames)
        shown: list[float] = []

        def note(_picture: object, number: int, frame: int = frame, shown: list[float] = shown) -> None:
            if number == frame:
                shown.append(time.perf_counter())

        window.playback.shown.connect(note)
        started = time.perf_counter()
        window.editor.go_to(frame)
        while not shown and time.perf_counter() - started < _LATEST:
            wait(2)
        window.playback.shown.disconnect(note)
        took.append(1000 * ((shown[0] if shown else time.perf_counter()) - started))
        wait(_BETWEEN_CLICKS)
    return took


def _played(window: "Window") -> float:
    """Return the percentage of pictures that were on time."""
    window.editor.go_to(0)
    window.playback.play()
    wait(1000 * _PLAYED_SECONDS)
    window.playback.stop()
    count = window.playback.punctuality
    return 100 * count.n_shown / max(count.n_due, 1)
