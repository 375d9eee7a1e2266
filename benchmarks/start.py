"""How long it takes until the window can be used."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

from benchmarks.result import Result, at_most

_CHILD = """
import time
from epiphane.collecting import collection_paused
from epiphane.deferred import defer
defer()
with collection_paused():
    from epiphane import cli
    from epiphane.desk.shell.app import make_application, made_window
    app = make_application(["epiphane"])
    window = made_window(app)
from PyQt6.QtTest import QTest
assert QTest.qWaitForWindowExposed(window)
app.processEvents()
print(time.monotonic())
shown = []
window.playback.shown.connect(lambda *_: shown.append(time.monotonic()))
window.files.open_demo()
while not shown:
    QTest.qWait(5)
print(shown[0])
window.shut_down()
"""

_PAGE = """
import time
from pathlib import Path
from tempfile import mkdtemp
from PyQt6.QtTest import QTest
from epiphane.desk.control.selection import ItemSelection
from epiphane.desk.shell.app import make_application
from epiphane.desk.shell.window import Window
from epiphane.document.titles import TextFill
app = make_application(["epiphane"])
window = Window(journal_folder=Path(mkdtemp()))
window.resize(1280, 800)
window.show()
window.files.open_demo(with_titles=True)
QTest.qWait(20000)
items = [item for track in window.editor.project.tracks for item in track.items]
text = next(item for item in items if isinstance(item.content, TextFill))
started = time.perf_counter()
window.editor.select(ItemSelection(text.id))
app.processEvents()
print(time.perf_counter() - started)
window.shut_down()
"""


def measure_start(folder: Path) -> Iterator[Result]:
    """Start a fresh interpreter five times; the first, which reads from disk, is told apart."""
    usable, pictured = [], []
    for _ in range(5):
        started = time.monotonic()
        first, second = (seconds - started for seconds in _printed(_CHILD, folder))
        usable.append(first)
        pictured.append(second)
    yield at_most("start to a window that can be used, median of 5", median(usable), 0.8, "s")
    yield Result("the same, first start", f"{usable[0]:.2f} s")
    yield Result("start to the demo's first picture, median of 5", f"{median(pictured):.2f} s")
    opened = 1000 * median(_printed(_PAGE, folder)[0] for _ in range(3))
    yield at_most("the first page of a text, shown; median of 3", opened, 100, "ms")


def _printed(code: str, folder: Path) -> list[float]:
    """Return the numbers that a fresh interpreter prints."""
    # Compiled modules are kept, as they are wherever it is installed.
    env = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    run = subprocess.run(
        [sys.executable, "-c", code],
        cwd=folder,
        env=env | {"QT_QPA_PLATFORM": "offscreen", "XDG_DATA_HOME": str(folder / "data")},
        capture_output=True,
        text=True,
        check=True,
    )
    return [float(line) for line in run.stdout.split()]
