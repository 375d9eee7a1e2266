"""Whether cutting by hand answers at once, and shots play at full rate at every speed."""

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from benchmarks.keying import song_with_taps
from benchmarks.result import Result, at_least, at_most
from benchmarks.window import milliseconds, open_window
from epiphane.demo.project import open_basic_demo
from epiphane.document.filling import Pace
from epiphane.document.project import Project
from epiphane.document.timeline import Between, Ramp, SpeedKey
from epiphane.edits.shots.arranging import move_shots
from epiphane.edits.shots.cutting import roll_cut, slide_shots, slip_shots, split_at, trim_end
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.speed import change_speed, set_between
from epiphane.keying.schedule import schedule
from epiphane.media.proxy import ProxyStore
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

_N_SHOTS = 200
_SIZE = (960, 540)
_N_FRAMES = 90
_WORKERS = 2


def measure_cutting(folder: Path) -> Iterator[Result]:
    """Drag among 200 shots; show both frames of a cut; draw a shot at every kind of speed."""
    store = ProxyStore(folder / "proxies")
    for one in open_basic_demo().footage:
        store.make(Path(one.path), one.fingerprint)
    yield from _gestures(folder)
    yield from _trimmed(folder, store)
    yield from _speeds(store)


def _many_shots() -> Project:
    demo, song = open_basic_demo(), song_with_taps(40)
    project = replace(song, footage=demo.footage, stack=(), next_id=10_000)
    project = fill_song(project, pace=Pace(every=3))
    return replace(project, shots=project.shots[:_N_SHOTS])


def _gestures(folder: Path) -> Iterator[Result]:
    """Apply an edit of a drag and paint the score, in a window with 200 shots."""
    window = open_window(folder, _many_shots(), None)
    viewport, before = window.score.viewport(), window.editor.project
    assert viewport is not None
    shot = before.shots[4]
    gestures: dict[str, Callable[[Project, int], Project]] = {
        "roll": lambda p, n: roll_cut(p, shot.id, shot.end + n % 5 - 2),
        "ripple": lambda p, n: trim_end(p, shot.id, shot.end + n % 5 - 2, ripple=True),
        "slip": lambda p, n: slip_shots(p, [shot.id], n + 1),
        "slide": lambda p, n: slide_shots(p, [shot.id], n % 5 - 2),
        "move": lambda p, n: move_shots(p, [shot.id], p.shots[20 + n].start),
        "split": lambda p, n: split_at(p, [shot.start + 3 + n]),
    }
    QApplication.processEvents()
    for name, edit in gestures.items():
        number = iter(range(100))

        def once(edit: Callable[[Project, int], Project] = edit, number: Iterator[int] = number) -> None:
            step = next(number)
            window.editor.apply(lambda _: edit(before, step), "drag", gesture="drag")
            viewport.repaint()

        yield at_most(f"{name} among {len(before.shots)} shots, redrawn", milliseconds(once, 15), 50, "ms")
        window.editor.give_up_gesture()
    window.shut_down()


def _trimmed(folder: Path, store: ProxyStore) -> Iterator[Result]:
    """Ask for both frames of a cut elsewhere each time, and wait until they are on the picture."""
    from epiphane.desk.shell.window import Window

    window = Window(journal_folder=folder / "demo", proxies=store)
    window.resize(1280, 800)
    window.show()
    project = open_basic_demo()
    window.editor.open(project, None)
    took = []
    for step in range(30):
        frame = 60 + 23 * step
        window.trim_frames.show(None)
        start = time.perf_counter()
        window.trim_frames.show((frame - 1, frame))
        while not window.picture.has_guest and time.perf_counter() - start < 2:
            QApplication.processEvents()
        took.append(1000 * (time.perf_counter() - start))
    took.sort()
    yield at_most("both frames of a cut shown, median", took[len(took) // 2], 60, "ms")
    yield Result("  95 % of them within", f"{took[int(0.95 * len(took))]:.1f} ms")
    window.shut_down()


def _speeds(store: ProxyStore) -> Iterator[Result]:
    """Draw three seconds of a shot in order, as a preview does, at every kind of speed."""
    project = open_basic_demo()
    shot = max(project.shots, key=lambda one: one.n_frames).id
    ramp = (SpeedKey(-30, 2.0), SpeedKey(0, 0.3, Ramp.LINEAR), SpeedKey(30, 1.5))
    slow = change_speed(project, shot, 0.4)
    kinds = {
        "as filmed": project,
        "reversed": change_speed(project, shot, -1.0),
        "ramped": change_speed(project, shot, ramp),
        "slow": slow,
        "slow, blended": set_between(slow, [shot], between=Between.BLEND),
        "slow, optical flow": set_between(slow, [shot], between=Between.FLOW),
    }
    for name, made in kinds.items():
        rate = _pictures_a_second(made, made.shots[project.shots.index(_of(project, shot))].start, store)
        aim = 24 if "flow" in name else float(project.rate)
        yield at_least(f"pictures a second at 960x540, {name}", rate, aim, "")


def _of(project: Project, shot_id: int) -> object:
    return next(shot for shot in project.shots if shot.id == shot_id)


def _pictures_a_second(project: Project, first: int, store: ProxyStore) -> float:
    files, cues = OpenFootage(store), schedule(project)
    plans = [plan_frame(project, cues, frame) for frame in range(first, first + _N_FRAMES)]
    draw(plans[0], files, _SIZE)
    start = time.perf_counter()
    with ThreadPoolExecutor(_WORKERS) as pool:
        list(pool.map(lambda plan: draw(plan, files, _SIZE), plans))
    took = time.perf_counter() - start
    files.close()
    return len(plans) / took
