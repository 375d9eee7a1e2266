"""How much longer an export with effects takes than decoding and encoding alone."""

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.result import Result, at_most
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.demo.project import open_basic_demo
from epiphane.document.project import Project, with_lanes
from epiphane.exporting.export import export
from epiphane.keying.schedule import schedule
from epiphane.media.writer import SOUND_RATE, MovieWriter
from epiphane.render.draw import draw_planes
from epiphane.render.nodes import sources_of
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Plane

FRAMES = range(450, 750)  # the drop: both lanes at their densest
_ROUNDS = 3


def measure_export(folder: Path) -> Iterator[Result]:
    """Export ten seconds of the demo at its own size, in turn with two floors.

    The first floor decodes the footage and encodes it as it is. Flashes and zooms are harder to
    encode, whoever draws them: the second decodes the same and encodes what was drawn beforehand.
    """
    project = open_basic_demo()
    plain = with_lanes(project, lanes=())
    pictures = {False: drawn_frames(plain), True: drawn_frames(project)}
    floors, keyed_floors, plain_exports, keyed_exports = [], [], [], []
    for _ in range(_ROUNDS):
        floors.append(seconds_of_floor(project, pictures[False], folder / "floor.mp4"))
        plain_exports.append(seconds_of_export(plain, folder / "plain.mp4"))
        keyed_floors.append(seconds_of_floor(project, pictures[True], folder / "keyed-floor.mp4"))
        keyed_exports.append(seconds_of_export(project, folder / "keyed.mp4"))
    floor, keyed_floor = min(floors), min(keyed_floors)
    yield Result("floor: 1280x720 decoded and encoded as it is", f"{len(FRAMES) / floor:.0f} frames/s")
    yield at_most("export without lanes / floor", min(plain_exports) / floor, 1.3, "")
    yield at_most("export with flash and zoom / floor", min(keyed_exports) / floor, 1.3, "")
    yield Result("  of which encoding what was drawn / floor", f"{keyed_floor / floor:.2f}")
    yield Result("  export with flash and zoom / that", f"{min(keyed_exports) / keyed_floor:.2f}")


def drawn_frames(project: Project) -> list[tuple[Plane, ...]]:
    cues, footage = schedule(project), OpenFootage()
    size = (project.width, project.height)
    plans = [plan_frame(project, cues, frame) for frame in FRAMES]
    drawn = [tuple(np.ascontiguousarray(p) for p in draw_planes(plan, footage, size)) for plan in plans]
    footage.close()
    return drawn


def seconds_of_export(project: Project, path: Path) -> float:
    started = time.perf_counter()
    export(project, path, frames=FRAMES, may_replace=True)
    return time.perf_counter() - started


def seconds_of_floor(project: Project, pictures: list[tuple[Plane, ...]], path: Path) -> float:
    """Decode the footage of every frame, and encode given pictures and the song."""
    cues, footage, song = schedule(project), OpenFootage(), project.song
    assert song is not None
    wanted = [list(sources_of(plan_frame(project, cues, frame).root)) for frame in FRAMES]
    started = time.perf_counter()
    sound = resampled_stereo(read_samples(Path(song.path)), SOUND_RATE)
    first, last = (round(n / project.rate * SOUND_RATE) for n in (FRAMES.start, FRAMES.stop))
    size = (project.width, project.height)
    with MovieWriter(path, size=size, rate=project.rate, sound=sound[first:last]) as writer:
        for sources, (luma, blue, red) in zip(wanted, pictures, strict=True):
            for source in sources[-1:]:
                footage.picture(source)
            writer.write((luma, blue, red))
    seconds = time.perf_counter() - started
    footage.close()
    return seconds
