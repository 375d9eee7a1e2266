"""How much memory work takes: sixty clips and four minutes of song in the window; three hours listened to."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.footage import N_CLIPS, make_clips
from benchmarks.result import Result, at_most
from benchmarks.window import wait
from epiphane.audio.samples import read_samples
from epiphane.demo import SONG_FILE

_N_JUMPS, _PLAYED_SECONDS, _MOST_SECONDS = 150, 15, 500
_MEGABYTE = 1 << 20

_LISTEN = """
import sys
from pathlib import Path
from epiphane.audio.listening import listen
from epiphane.audio.samples import read_samples
found = listen(read_samples(Path(sys.argv[1])))
status = Path("/proc/self/status").read_text().split("\\n")
print(len(found.beats), next(line.split()[1] for line in status if line.startswith("VmHWM")))
"""


def measure_memory(folder: Path) -> Iterator[Result]:
    """Gather, prepare, fill, jump and play in one window; listen to three hours in a process of its own."""
    yield from _work(folder)
    yield from _hours(folder)


def _work(folder: Path) -> Iterator[Result]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ["XDG_CACHE_HOME"] = str(folder / "cache")

    from epiphane.desk.control import playback
    from epiphane.desk.engine.memory import resident_bytes
    from epiphane.desk.engine.sound import SimulatedSound
    from epiphane.desk.shell.app import make_application
    from epiphane.desk.shell.window import Window
    from epiphane.edits.shots.filling import fill_song
    from epiphane.heap import tune_heap

    tune_heap()
    playback.open_sound = SimulatedSound  # type: ignore[attr-defined]
    app = make_application(["bench"])
    clips = folder / "clips"
    clips.mkdir()
    make_clips(clips)
    song = song_of(folder / "song.wav", seconds=240)
    Path("/proc/self/clear_refs").write_text("5")  # forget what was the most so far (proc(5))
    window = Window(journal_folder=folder / "data")
    window.resize(1280, 800)
    window.show()
    window.files.gather([clips, song])
    until = time.monotonic() + _MOST_SECONDS
    wait(2000)
    while window.jobs.running and time.monotonic() < until:
        wait(500)
    assert len(window.editor.project.footage) == N_CLIPS
    yield Result("  after preparing", f"{resident_bytes() / _MEGABYTE:.0f} MB")
    window.editor.apply(fill_song, "filling")
    for frame in range(0, window.editor.project.n_frames, window.editor.project.n_frames // _N_JUMPS):
        window.editor.go_to(frame)
        wait(100)
    window.playback.play()
    wait(1000 * _PLAYED_SECONDS)
    window.playback.stop()
    yield Result("  after playing", f"{resident_bytes() / _MEGABYTE:.0f} MB")
    yield at_most(f"most memory, {N_CLIPS} clips and 4 minutes of song", _most_megabytes(), 1200, "MB")
    window.shut_down()
    app.processEvents()


def _hours(folder: Path) -> Iterator[Result]:
    hours = song_of(folder / "hours.wav", seconds=3 * 3600)
    started = time.perf_counter()
    command = [sys.executable, "-c", _LISTEN, str(hours)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    n_beats, kilobytes = done.stdout.split()
    yield at_most("most memory, three hours listened to", int(kilobytes) / 1024, 700, "MB")
    yield Result("  in", f"{time.perf_counter() - started:.0f} s, {n_beats} beats")


def song_of(path: Path, *, seconds: int) -> Path:
    """Write the demo's song over and over."""
    import wave

    song = read_samples(SONG_FILE)
    part = (np.clip(song.data, -1, 1) * 32767).astype("<i2").tobytes()
    with wave.open(str(path), "wb") as out:
        out.setnchannels(song.data.shape[1])
        out.setsampwidth(2)
        out.setframerate(song.rate)
        for _ in range(-(-seconds // round(song.duration))):
            out.writeframes(part)
    return path


def _most_megabytes() -> float:
    status = Path("/proc/self/status").read_text()
    kilobytes = next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]
    return int(kilobytes) / 1024
