"""How much longer exports take than their encoder alone, and how well their sizes are told before."""

import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from benchmarks.result import Result, at_most
from epiphane.demo.project import open_basic_demo
from epiphane.document.project import with_lanes
from epiphane.exporting.drawn_frames import as_planes
from epiphane.exporting.export import export
from epiphane.exporting.film import Drawing, film_of, film_output
from epiphane.exporting.size_estimate import estimated_bytes
from epiphane.formats.settings import ExportSettings
from epiphane.media.writer import MovieWriter

_FRAMES = range(450, 570)
_AIM_SECONDS, _AIM_SIZE = 1.15, 0.25
_ENCODED, _TOLD = ("vp9-webm", "prores-422", "h264-mp4"), ("h264-mp4", "vp9-webm", "av1-webm", "gif")
_ROUNDS = 2


def measure_formats(folder: Path) -> Iterator[Result]:
    """Export four seconds of the demo's cut at 720p, in turn with encoding what was drawn beforehand."""
    plain = with_lanes(open_basic_demo(), lanes=())
    for key in _ENCODED:
        settings = ExportSettings(key)
        film = film_of(plain, folder / f"{key}{settings.of_format().endings[0]}", settings, frames=_FRAMES)
        codec = film_output(film.form).video(film.coding)
        with closing(Drawing(film, lambda _: None).drawn(_FRAMES, as_planes(codec.layout))) as drawn:
            pictures = list(drawn)
        alone, whole = [], []
        for _ in range(_ROUNDS):
            started = time.perf_counter()
            container = film_output(film.form).container
            with MovieWriter(
                folder / "alone",
                size=film.size,
                rate=plain.rate,
                video=codec,
                container=container,
                options={},
            ) as writer:
                for planes in pictures:
                    writer.write(planes)
            alone.append(time.perf_counter() - started)
            started = time.perf_counter()
            export(plain, film.path, settings=settings, frames=_FRAMES, may_replace=True)
            whole.append(time.perf_counter() - started)
        yield Result(f"{key}: the encoder alone", f"{len(_FRAMES) / min(alone):.0f} frames/s")
        yield at_most("  the whole export / that", min(whole) / min(alone), _AIM_SECONDS, "")
    for key in _TOLD:
        settings = ExportSettings(key, size=(320, 180))
        path = folder / f"told-{key}{settings.of_format().endings[0]}"
        told = estimated_bytes(plain, settings)
        export(plain, path, settings=settings)
        yield at_most(f"{key}: size told before, off by", abs(told / path.stat().st_size - 1), _AIM_SIZE, "")
