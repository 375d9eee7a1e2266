"""Measure and print: ``python -m benchmarks [start] [listening] [accuracy] [footage]`` and so on."""

import os
import platform
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from benchmarks.accuracy import measure_accuracy, measure_files, measure_unfamiliar
from benchmarks.busy import measure_busy
from benchmarks.cutting import measure_cutting
from benchmarks.effects import measure_effects
from benchmarks.export import measure_export
from benchmarks.farm import measure_farm
from benchmarks.film import measure_film
from benchmarks.footage import measure_footage
from benchmarks.form import measure_form
from benchmarks.formats import measure_formats
from benchmarks.grade import measure_grade
from benchmarks.keying import measure_keying
from benchmarks.layers import measure_layers
from benchmarks.listening import measure_listening
from benchmarks.load import measure_load
from benchmarks.memory import measure_memory
from benchmarks.playback import measure_playback
from benchmarks.pulses import measure_pulses
from benchmarks.real import measure_real
from benchmarks.result import Result
from benchmarks.safety import measure_safety
from benchmarks.soak import measure_soak
from benchmarks.start import measure_start
from benchmarks.titles import measure_titles
from epiphane.heap import tune_heap

MEASUREMENTS: dict[str, Callable[[Path], Iterator[Result]]] = {
    "start": measure_start,
    "listening": measure_listening,
    "accuracy": measure_accuracy,
    "unfamiliar": measure_unfamiliar,
    "files": measure_files,
    "form": measure_form,
    "real": measure_real,
    "pulses": measure_pulses,
    "keying": measure_keying,
    "cutting": measure_cutting,
    "footage": measure_footage,
    "effects": measure_effects,
    "layers": measure_layers,
    "titles": measure_titles,
    "grade": measure_grade,
    "export": measure_export,
    "film": measure_film,
    "farm": measure_farm,
    "formats": measure_formats,
    "playback": measure_playback,
    "safety": measure_safety,
    "load": measure_load,
    "busy": measure_busy,
    "soak": measure_soak,
    "memory": measure_memory,
}


def main() -> None:
    chosen = sys.argv[1:] or list(MEASUREMENTS)
    unknown = [name for name in chosen if name not in MEASUREMENTS]
    if unknown:
        sys.exit(f"there is no measurement {unknown[0]!r}; there are: {', '.join(MEASUREMENTS)}")
    tune_heap()  # as the command line does
    print(f"{platform.machine()}, Python {platform.python_version()}")
    for name in chosen:
        before = _machine_ticks()
        with TemporaryDirectory() as folder:
            os.environ["XDG_STATE_HOME"] = str(Path(folder) / "state")  # with a queue of exports of its own
            for result in MEASUREMENTS[name](Path(folder)):
                print(result.line(), flush=True)
        stolen, all_ticks = (now - then for now, then in zip(_machine_ticks(), before, strict=True))
        print(f"  (meanwhile other machines had {stolen / max(all_ticks, 1):.0%} of these cores)", flush=True)


def _machine_ticks() -> tuple[int, int]:
    """Return the ticks that a host gave to other machines, and all ticks (proc(5), /proc/stat)."""
    ticks = [int(word) for word in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:]]
    return ticks[7], sum(ticks[:8])


if __name__ == "__main__":
    main()
