"""How long a song takes to listen to, stage by stage, and how much memory it needs."""

import resource
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.result import Result, at_most
from epiphane.audio.attack import attack_curve
from epiphane.audio.beat_tracking import analyse, follow
from epiphane.audio.beats_and_bars import hear_beats
from epiphane.audio.drums import hear_drums
from epiphane.audio.form import find_form
from epiphane.audio.heard_strokes import hear_strokes
from epiphane.audio.listening import listen
from epiphane.audio.network import learned_weights
from epiphane.audio.onset import onset_strength
from epiphane.audio.samples import Samples, read_samples
from epiphane.audio.spectrum import harmony_bands, rhythm_bands
from epiphane.audio.strokes import drum_spectrum
from epiphane.audio.tempo import measure_tempo
from epiphane.audio.waveform import waveform_columns
from epiphane.demo import SONG_FILE

_MINUTES, _LONG_MINUTES = 4, 60


def measure_listening(folder: Path) -> Iterator[Result]:
    """Listen to the demo's song, repeated to four minutes and to an hour."""
    del folder
    # First of all: a process begins with the most memory that the one which began it has had.
    yield at_most("peak memory of a process that hears four minutes", _peak_megabytes(_MINUTES), 400, "MB")
    listen(read_samples(SONG_FILE))  # what is loaded on first use is not counted
    song = _repeated(_MINUTES)
    yield from _stages(song)
    seconds = min(_timed(lambda: listen(song))[0] for _ in range(3))
    yield at_most("four minutes of stereo song, everything", seconds, 4.0, "s")
    long, _ = _timed(lambda: listen(_repeated(_LONG_MINUTES)))
    yield at_most(
        "an hour, per minute, against four minutes", long / seconds * _MINUTES / _LONG_MINUTES, 1.3, ""
    )


def _stages(song: Samples) -> Iterator[Result]:
    """Time each stage alone."""
    mono, rate = song.mono(), song.rate
    weights = learned_weights()
    found: dict[str, Any] = {}

    def keep(name: str, work: Callable[[], Any]) -> Result:
        seconds, found[name] = _timed(work)
        return Result(f"  {name}", f"{seconds:.2f} s")

    yield keep("waveform", lambda: waveform_columns(mono, rate))
    yield keep("rhythm spectrum", lambda: rhythm_bands(mono, rate))
    yield keep("drum spectrum", lambda: drum_spectrum(mono, rate))
    yield keep("harmony spectrum", lambda: harmony_bands(mono, rate))
    yield keep("attacks", lambda: attack_curve(mono, rate))
    yield keep("onsets", lambda: onset_strength(found["rhythm spectrum"]))
    yield keep("tempo", lambda: measure_tempo(found["onsets"]))
    yield keep("all of these but the waveform", lambda: analyse(mono, rate))
    analysis = found["all of these but the waveform"]
    yield keep("following beats", lambda: follow(analysis))
    yield keep("strokes", lambda: hear_strokes(analysis.drums, weights.drums))
    strokes, followed = found["strokes"], found["following beats"]
    yield keep(
        "which beats, which bars",
        lambda: hear_beats(analysis, followed, strokes, readings=weights.readings, bars=weights.bars),
    )
    heard = found["which beats, which bars"]
    yield keep("drums", lambda: hear_drums(strokes, heard.beats, 4, analysis.duration, weights))
    downbeats = heard.beats[heard.bars.places == 0]
    harmony = analysis.harmony.levels
    yield keep(
        "form",
        lambda: find_form(
            heard.beats,
            downbeats,
            4,
            analysis.drums,
            harmony,
            strokes,
            found["drums"].drums,
            analysis.duration,
        ),
    )


def _repeated(minutes: int) -> Samples:
    song = read_samples(SONG_FILE)
    n_samples = 60 * minutes * song.rate
    n_times = -(-n_samples // len(song.data))
    return Samples(np.tile(song.data, (n_times, 1))[:n_samples], song.rate)


def _timed(work: Callable[[], Any]) -> tuple[float, Any]:
    started = time.perf_counter()
    result = work()
    return time.perf_counter() - started, result


def _peak_megabytes(minutes: int) -> float:
    """Listen in a process of its own, which loads nothing else, and return the most memory that it had."""
    code = f"from benchmarks.listening import listen_and_tell_peak; listen_and_tell_peak({minutes})"
    ended = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
    return float(ended.stdout)


def listen_and_tell_peak(minutes: int) -> None:
    """Listen to a song of some minutes, and print the most memory that this process had, in MB."""
    listen(_repeated(minutes))
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000)
