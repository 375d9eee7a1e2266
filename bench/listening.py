"""How long a minute of song takes to listen to."""

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.result import Result, at_most
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples, read_samples
from epiphane.demo import SONG_FILE

_MINUTES = 4


def measure_listening(folder: Path) -> Iterator[Result]:
    """Listen to the demo's song, repeated to four minutes."""
    song = read_samples(SONG_FILE)
    n_samples = 60 * _MINUTES * song.rate
    n_times = -(-n_samples // len(song.data))
    long = Samples(np.tile(song.data, (n_times, 1))[:n_samples], song.rate)
    listen(song)  # what is loaded on first use is not counted
    seconds = []
    for _ in range(3):
        started = time.perf_counter()
        listen(long)
        seconds.append(time.perf_counter() - started)
    yield at_most("listening, per minute of stereo song", min(seconds) / _MINUTES, 1.0, "s")
