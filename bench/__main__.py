"""Measure and print: ``python -m bench [start] [listening] [export] [playback]``."""

import platform
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from bench.export import measure_export
from bench.listening import measure_listening
from bench.playback import measure_playback
from bench.result import Result
from bench.start import measure_start

MEASUREMENTS: dict[str, Callable[[Path], Iterator[Result]]] = {
    "start": measure_start,
    "listening": measure_listening,
    "export": measure_export,
    "playback": measure_playback,
}


def main() -> None:
    chosen = sys.argv[1:] or list(MEASUREMENTS)
    unknown = [name for name in chosen if name not in MEASUREMENTS]
    if unknown:
        sys.exit(f"there is no measurement {unknown[0]!r}; there are: {', '.join(MEASUREMENTS)}")
    print(f"{platform.machine()}, Python {platform.python_version()}")
    for name in chosen:
        with TemporaryDirectory() as folder:
            for result in MEASUREMENTS[name](Path(folder)):
                print(result.line(), flush=True)


if __name__ == "__main__":
    main()
