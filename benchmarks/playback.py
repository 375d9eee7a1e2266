"""Whether pictures come on time, and together with their sound.

A child process plays the demo in the real window on a real sound server, whose null sink is
recorded beside it. Both note the system's monotonic clock: the child for every picture painted,
the recorder for every block that arrives. The recording is laid on the song by cross-correlation.
"""

import json
import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import scipy.signal

from benchmarks.player import RUNS
from benchmarks.result import Result, at_least, at_most
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.demo import SONG_FILE

_RATE = 48_000
_HALF_FRAME = 16.7  # ms, at 30 fps
_PIECE_SECONDS = 2.0


def measure_playback(folder: Path) -> Iterator[Result]:
    """Play the whole demo once from a cold cache, and once more from a warm one."""
    with _sound_server(folder) as server:
        recorder = _Recorder(server) if server else None
        played = _play(folder, server)
        if recorder is not None:
            recorder.stop()
    width, height = played["size"]
    for name in RUNS:
        share = 100 * played[name]["n_shown"] / played[name]["n_due"]
        told = f"pictures on time at {width}x{height}, {name}"
        yield Result(told, f"{share:.2f} %") if name.endswith("fps, cold") else at_least(told, share, 95, "%")
    if recorder is None:
        yield Result("sound against picture", "not measured: needs pulseaudio and parec")
        return
    for name in ("cold", "warm"):
        late, slipped = _lateness(recorder, played[name]["painted"])
        middle, low, high = (1000 * float(np.percentile(late, q)) for q in (50, 2.5, 97.5))
        yield at_most(f"picture from its sound, {name} cache, median", abs(middle), _HALF_FRAME, "ms")
        yield Result("  95 % of pictures", f"{low:.1f} to {high:.1f} ms")
        within = 100 * float((np.abs(late) <= _HALF_FRAME / 1000).mean())
        yield at_least("  pictures within half a frame of their sound", within, 95, "%")
        yield Result("  by how much the recording slipped, in all", f"{1000 * slipped:.0f} ms")


def _lateness(recorder: "_Recorder", painted: list[tuple[int, float]]) -> tuple[np.ndarray, float]:
    """Return how long after its sound each picture was painted, and by how much the recording slipped.

    Both in seconds. The song is looked for in pieces of two seconds near where the last was found:
    on a busy machine the sound server, or its recording, may slip by some milliseconds on the way,
    and what is measured is the picture against the sound at that moment.
    """
    times = np.array([time for _, time in painted])
    frames = np.array([frame for frame, _ in painted])
    sound, begin = recorder.between(times[0] - 3.0, times[-1] + 1.0)
    song = resampled_stereo(read_samples(SONG_FILE), _RATE).mean(axis=1)
    # Near the first picture; the song repeats itself, so it would be found elsewhere too.
    whole = round((times[0] - frames[0] / 30 - begin) * _RATE)
    late, starts = [], []
    piece, reach = round(_PIECE_SECONDS * _RATE), round(1.0 * _RATE)
    for first in range(0, len(song) - piece, piece):
        near = max(0, whole + first - reach)
        part = sound[near : whole + first + piece + reach]
        likeness = scipy.signal.correlate(part, song[first : first + piece], mode="valid", method="fft")
        started = begin + (near + int(likeness.argmax()) - first) / _RATE
        starts.append(started)
        whole = round((started - begin) * _RATE)
        inside = (frames >= first / _RATE * 30) & (frames < (first + piece) / _RATE * 30)
        late.append(times[inside] - (started + frames[inside] / 30))
    return np.concatenate(late), float(np.abs(np.diff(starts)).sum())


class _Recorder:
    """Records a sink's monitor, and when each block arrived."""

    def __init__(self, server: str) -> None:
        self._run = subprocess.Popen(
            ["parec", f"--server={server}", "--device=bench.monitor", "--format=float32le",
             f"--rate={_RATE}", "--channels=1", "--latency-msec=10"],
            stdout=subprocess.PIPE,
        )  # fmt: skip
        self._blocks: list[np.ndarray] = []
        self._arrivals: list[tuple[int, float]] = []
        self._thread = threading.Thread(target=self._read)
        self._thread.start()

    def stop(self) -> None:
        """Stop recording."""
        self._run.terminate()
        self._thread.join()
        self._run.wait()

    def between(self, start: float, end: float) -> tuple[np.ndarray, float]:
        """Return what was recorded between two instants, and the instant of its first sample."""
        counts = np.array([count for count, _ in self._arrivals])
        arrivals = np.array([time for _, time in self._arrivals])
        # A block comes late or on time, never early: the least delay is the true place of a sample. The
        # sink's clock drifts against ours, so only what was recorded meanwhile counts.
        meanwhile = (arrivals >= start) & (arrivals <= end)
        origin = float((arrivals - counts / _RATE)[meanwhile].min())
        sound = np.concatenate(self._blocks)
        first = max(0, round((start - origin) * _RATE))
        return sound[first : round((end - origin) * _RATE)], origin + first / _RATE

    def _read(self) -> None:
        assert self._run.stdout is not None
        count = 0
        while block := os.read(self._run.stdout.fileno(), 4 * 480):
            samples = np.frombuffer(block[: len(block) // 4 * 4], np.float32)
            count += len(samples)
            self._blocks.append(samples)
            self._arrivals.append((count, time.monotonic()))


def _play(folder: Path, server: str) -> dict[str, Any]:
    out = folder / "played.json"
    environment = os.environ | {
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_CACHE_HOME": str(folder / "cache"),
        "PULSE_SERVER": server,
    }
    subprocess.run([sys.executable, "-m", "benchmarks.player", str(out)], env=environment, check=True)
    played: dict[str, Any] = json.loads(out.read_text())
    return played


@contextmanager
def _sound_server(folder: Path) -> Iterator[str]:
    """Run a sound server of our own with a null sink; yields nothing where that is not installed."""
    if not shutil.which("pulseaudio") or not shutil.which("parec"):
        yield ""
        return
    server = folder / "sound"
    environment = os.environ | {"XDG_RUNTIME_DIR": str(folder), "HOME": str(folder)}
    run = subprocess.Popen(
        ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no",
         "-L", f"module-null-sink sink_name=bench rate={_RATE}",
         "-L", f"module-native-protocol-unix socket={server} auth-anonymous=1"],
        env=environment,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        deadline = time.monotonic() + 10
        while not server.exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        yield f"unix:{server}" if server.exists() else ""
    finally:
        run.terminate()
        run.wait()
