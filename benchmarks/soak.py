"""Whether memory stays where it is in a quarter of an hour of random use."""

import os
import random
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from benchmarks.result import Result, at_most
from benchmarks.window import wait

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

_SETTLED_SECONDS, _WHOLE_SECONDS = 300, 900
_MOST_GROWTH = 10
_MEGABYTE = 1 << 20
_KEPT: list[object] = []
"""The application, which is gone when nobody holds it."""
_EFFECTS = ("flash", "zoom", "shake", "glow", "blur", "split", "vignette")


def measure_soak(folder: Path) -> Iterator[Result]:
    """Do one thing after the other in the demo's window, each chosen by chance."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ["XDG_CACHE_HOME"] = str(folder / "cache")
    from epiphane.desk.control import playback
    from epiphane.desk.engine.memory import resident_bytes
    from epiphane.desk.engine.sound import SimulatedSound
    from epiphane.desk.shell.app import make_application
    from epiphane.desk.shell.window import Window
    from epiphane.heap import tune_heap

    tune_heap()
    playback.open_sound = SimulatedSound  # type: ignore[attr-defined]
    _KEPT.append(make_application(["bench"]))
    window = Window(journal_folder=folder / "data")
    window.resize(1280, 800)
    window.show()
    window.files.open_demo()
    chance, started, settled, n_done = random.Random(5), time.monotonic(), 0, 0
    while (passed := time.monotonic() - started) < _WHOLE_SECONDS:
        chance.choice(_deeds(window, chance))()
        wait(chance.randrange(30, 250))
        n_done += 1
        if passed >= _SETTLED_SECONDS and not settled:
            settled = resident_bytes()
    growth = 100 * (resident_bytes() / settled - 1)
    yield at_most("memory after 15 minutes of random use, against 5", growth, _MOST_GROWTH, "% more")
    yield Result("  after 5 minutes", f"{settled / _MEGABYTE:.0f} MB, {n_done} things done in all")
    window.shut_down()


def _deeds(window: "Window", chance: random.Random) -> list[Callable[[], object]]:
    """Return what may be done next."""
    editor, actions = window.editor, window.actions_by_id

    def go() -> None:
        editor.go_to(chance.randrange(editor.project.n_frames))

    def play() -> None:
        window.playback.play()
        wait(chance.randrange(200, 2500))
        window.playback.stop()

    def lay() -> None:
        if len(editor.project.lanes) < 20:
            window.lanes.add(chance.choice(_EFFECTS))

    def click() -> None:
        shot = chance.choice(editor.project.shots) if editor.project.shots else None
        if shot is not None:
            editor.select_shots([shot.id])

    def find() -> None:
        window.finder.ask()
        wait(60)
        window.finder.ask()

    keys = ("undo", "redo", "fold", "grow", "large", "effects", "footage", "split", "text", "lane_on")
    presses = [actions[key].trigger for key in (*keys, "lines_2", "lines_4", "unselect", "delete")]
    return [go, go, go, play, play, lay, click, find, *presses]
