"""Whether a whole film is exported in time: 1080p, 194 shots of 72 files of all kinds, twelve lanes."""

import shutil
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from benchmarks.memory import song_of
from benchmarks.result import Result, at_least
from epiphane.document.filling import Pace
from epiphane.document.project import Project, new_project
from epiphane.document.pulse import PulseUnit
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.picture import set_rate, set_size
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.song.song import set_song
from epiphane.exporting.export import export
from epiphane.media.gather import gather_files

_SECONDS, _RATE = 52, Fraction(30)
_LANES = (
    ("flash", PulseUnit.BAR),
    ("zoom", PulseUnit.BEAT),
    ("shake", PulseUnit.KICK),
    ("split", PulseUnit.SNARE),
    ("hue", PulseUnit.BAR),
    ("saturation", PulseUnit.BEAT),
    ("glow", PulseUnit.SNARE),
    ("blur", PulseUnit.BAR),
    ("vignette", PulseUnit.KICK),
    ("invert", PulseUnit.BAR),
    ("scanlines", PulseUnit.BEAT),
    ("grain", PulseUnit.HAT),
)


def measure_film(folder: Path) -> Iterator[Result]:
    """Export a minute of such a film."""
    project = film_project(folder)
    yield Result(
        "  shots, files, lanes", f"{len(project.shots)}, {len(project.footage)}, {len(project.lanes)}"
    )
    started, cpu = time.perf_counter(), time.process_time()
    faults = export(project, folder / "film.mp4", may_replace=True)
    seconds, cpu = time.perf_counter() - started, time.process_time() - cpu
    assert not faults, faults
    length = float(project.n_frames / project.rate)
    yield at_least("1080p exported, of real time", length / seconds, 0.5, "")
    yield Result("  seconds of processor for one of film", f"{cpu / length:.2f}")


def film_project(folder: Path) -> Project:
    """Return a minute of music filled with footage of all kinds."""
    from epiphane.audio.cache import hear_song

    clips = folder / "footage"
    clips.mkdir()
    _make_footage(clips)
    song = song_of(folder / "song.wav", seconds=_SECONDS)
    gathered = gather_files([clips])
    assert not gathered.faults, gathered.faults
    project = set_song(new_project(), hear_song(song).as_song())
    project = set_rate(set_size(add_footage(project, gathered.found), width=1920, height=1080), _RATE)
    project, pulse = ensure_pulse(project, PulseUnit.HALF)
    project = fill_song(project, pulse=pulse, pace=Pace(every=1))
    for effect, unit in _LANES:
        project, pulse = ensure_pulse(project, unit)
        project = add_lane(project, effect, pulse)
    return project


def _make_footage(folder: Path) -> None:
    """Make 72 files: H.264 with long groups, HEVC in ten bits, VP9, 4K, photographs, drawings, a GIF."""
    made = {
        "camera": _clip(
            folder / "camera 00.mp4", (1920, 1080), "libx264", {"preset": "veryfast", "g": "250"}
        ),
        "phone": _clip(folder / "phone 00.mov", (1080, 1920), "libx264", {"preset": "veryfast", "bf": "3"}),
        "deep": _clip(
            folder / "deep 00.mp4", (1920, 1080), "libx265", {"preset": "ultrafast"}, "yuv420p10le"
        ),
        "web": _clip(
            folder / "web 00.webm", (1280, 720), "libvpx-vp9", {"cpu-used": "8", "deadline": "realtime"}
        ),
        "large": _clip(folder / "large 00.mp4", (3840, 2160), "libx264", {"preset": "ultrafast"}),
        "moving": _clip(folder / "moving 00.gif", (320, 180), "gif", {}, "rgb8"),
    }
    for number in range(8):
        noise = np.random.default_rng(number).integers(0, 255, (375, 500, 3), np.uint8)
        photograph = cv2.resize(noise, (4000, 3000), interpolation=cv2.INTER_CUBIC)
        cv2.imwrite(str(folder / f"photograph {number}.jpg"), photograph)
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="800" height="600">'
    for number in range(2):
        circle = f'<circle cx="{300 + 99 * number}" cy="300" r="200" fill="#d60"/>'
        (folder / f"drawing {number}.svg").write_text(f"{head}{circle}</svg>")
    n_copies = {"camera": 39, "phone": 8, "deep": 6, "web": 5, "large": 3, "moving": 0}
    for name, path in made.items():
        for number in range(1, n_copies[name]):
            copy = path.with_name(path.name.replace("00", f"{number:02d}"))
            shutil.copy(path, copy)
            with copy.open("ab") as file:  # another file by its content, and the same film
                file.write(b"\0" * number)


def _clip(
    path: Path, size: tuple[int, int], codec: str, options: dict[str, str], pixels: str = "yuv420p"
) -> Path:
    """Write four seconds of a pan over noise."""
    width, height = size
    rng = np.random.default_rng(len(path.name))
    rough = rng.integers(0, 255, (height // 16, width // 8, 3), np.uint8)
    wide = cv2.resize(rough, (2 * width, height), interpolation=cv2.INTER_CUBIC)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, pixels
        for number in range(100):
            at = number * width // 100
            picture = np.ascontiguousarray(wide[:, at : at + width], np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="bgr24")
            container.mux(stream.encode(frame.reformat(format=pixels)))
        container.mux(stream.encode(None))
    return path
