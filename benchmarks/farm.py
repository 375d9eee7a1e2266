"""A farm of two workers against one process, and what is lost when an export is broken off."""

import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.result import Result, at_most
from epiphane.demo.project import open_demo
from epiphane.errors import CancelledError
from epiphane.exporting.chunks import chunks_of
from epiphane.exporting.export import export
from epiphane.exporting.local_farm import local_farm
from epiphane.exporting.progress import ExportProgress
from epiphane.formats.settings import ExportSettings

_SETTINGS = ExportSettings(size=(960, 540))
_AIM_RATIO, _AIM_CHUNKS = 1.0, 1.0


def measure_farm(folder: Path) -> Iterator[Result]:
    """Make the demo's film in one process, then by two workers; then break it off and take it up."""
    demo = open_demo()

    def seconds(name: str, farm: str = "") -> float:
        started = time.perf_counter()
        export(demo, folder / name, settings=_SETTINGS, farm=farm)
        return time.perf_counter() - started

    alone = seconds("alone.mp4")
    yield Result("the demo's film at 540p by one process", f"{alone:.1f} s")
    with local_farm(2) as farm:
        together = seconds("farm.mp4", farm.address)
    yield at_most("  by two workers, against that", together / alone, _AIM_RATIO, "")
    same = (folder / "alone.mp4").read_bytes() == (folder / "farm.mp4").read_bytes()
    yield Result("  is the same to the byte", "yes" if same else "NO")
    yield at_most("chunks drawn again after a break", _chunks_lost(folder), _AIM_CHUNKS, "chunks")


def _chunks_lost(folder: Path) -> float:
    """Break an export off in the middle of a chunk, take it up, and return how much was drawn twice."""
    demo = open_demo()
    chunks = chunks_of(demo, range(demo.n_frames))
    broken_at, drawn = chunks[2].start + len(chunks[2]) // 2, 0

    def stop(progress: ExportProgress) -> None:
        if progress.n_done >= broken_at:
            raise CancelledError("the machine went down")

    def count(progress: ExportProgress) -> None:
        nonlocal drawn
        drawn = progress.n_done - progress.n_ready

    film = folder / "broken.mp4"
    try:
        export(demo, film, settings=_SETTINGS, report=stop, keeps_chunks=lambda: True)
    except CancelledError:
        export(demo, film, settings=_SETTINGS, report=count)
    return (broken_at + drawn - demo.n_frames) / max(map(len, chunks))
