"""What a grade, a look and the scopes cost, and how much longer an export with a grade takes."""

import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.export import seconds_of_export
from benchmarks.result import Result, at_most
from epiphane.demo.project import open_basic_demo
from epiphane.document.lane import Setting, Settings
from epiphane.document.named_file import named_file
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.lanes import add_lasting_lane, set_setting
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Grade, GradeStep
from epiphane.media.look_files import keep_look
from epiphane.render.grading import graded
from epiphane.render.scopes import Counted, clipped, histograms, luma_of, sampled, vectorscope, waveform
from epiphane.types import Picture, Size

_LARGE, _SMALL = (1920, 1080), (960, 540)
_AIMS = {_LARGE: 25.0, _SMALL: 8.0}
_ROUNDS, _EXPORTS, _SIDE = 9, 3, 33
_MORE: Settings = (
    Setting("vibrance", 30.0, 0.0),
    Setting("luma_curve", "0.25,0.2 0.75,0.82"),
    Setting("saturation_curve", "0.1,0.7 0.6,0.4"),
)


def measure_grade(folder: Path) -> Iterator[Result]:
    """Grade still pictures, at rest and struck; draw the scopes; export in turn with and without a grade."""
    path = folder / "look.cube"
    levels = np.linspace(0, 1, _SIDE) ** 0.9
    rows = (f"{r:.5f} {g:.5f} {b:.5f}" for b in levels for g in levels for r in levels)
    path.write_text(f"LUT_3D_SIZE {_SIDE}\n" + "\n".join(rows) + "\n")
    look = (Setting("file", keep_look(path).text), Setting("strength", 60.0, 0.0))
    assert named_file(look[0].peak) is not None
    for size in (_LARGE, _SMALL):
        picture = _picture(size)
        for told, effect, settings in (
            ("a grade as it begins", "grade", ()),
            ("a grade with curves and vibrance", "grade", _MORE),
            ("a look", "look", ()),
            ("a look from a file of 33 points, 60 %", "look", look),
        ):
            took = _best(partial(graded, picture, _steps(effect, settings, 1.0)))
            yield at_most(f"{told}, {size[0]}x{size[1]}, one core", took, _AIMS[size], "ms")
    picture = _picture(_SMALL)
    struck = [_steps("grade", (), 0.3 + 0.02 * n) for n in range(30)]
    begun = time.thread_time()
    for steps in struck:
        graded(picture, steps)
    yield at_most(
        "a struck grade, other values each frame, 960x540", 1000 * (time.thread_time() - begun) / 30, 8, "ms"
    )
    yield from _scopes(sampled(picture))
    yield from _exports(folder)


def _scopes(part: Picture) -> Iterator[Result]:
    drawn: dict[str, Callable[[], object]] = {
        "waveform": lambda: waveform(luma_of(part), 200),
        "parade": lambda: [waveform(np.ascontiguousarray(part[..., n]), 66) for n in range(3)],
        "vectorscope": lambda: vectorscope(part),
        "histogram": lambda: histograms(part, (Counted.BLUE, Counted.GREEN, Counted.RED)),
        "clipping": lambda: clipped(part),
    }
    for name, draw in drawn.items():
        yield at_most(f"{name} of 960x540", _best(draw), 8, "ms")


def _exports(folder: Path) -> Iterator[Result]:
    project = open_basic_demo()
    with_grade = with_grade_over_all(project)
    plain, graded_ones = [], []
    for _ in range(_EXPORTS):
        plain.append(seconds_of_export(project, folder / "plain.mp4"))
        graded_ones.append(seconds_of_export(with_grade, folder / "graded.mp4"))
    yield at_most("export of 720p with a grade / without", min(graded_ones) / min(plain), 1.3, "")


def with_grade_over_all(project: Project) -> Project:
    """Return a project with a grade that is on over all of it."""
    project, pulse = ensure_pulse(project, PulseUnit.BEAT)
    project = add_lasting_lane(project, "grade", pulse)
    return set_setting(project, project.lanes[-1].id, Setting("contrast", 120.0, 100.0))


def _steps(effect: str, settings: Settings, level: float) -> tuple[GradeStep, ...]:
    found = EFFECTS.named(effect)
    done = found.operations(found.values_at(settings, level))
    return tuple(step for one in done if isinstance(one, Grade) for step in one.steps)


def _picture(size: Size) -> Picture:
    rng = np.random.default_rng(3)
    return rng.integers(0, 256, (size[1], size[0], 3), dtype=np.uint8)


def _best(work: Callable[[], object]) -> float:
    """Return the milliseconds of processor that something takes, the least of some rounds."""
    took = []
    for _ in range(_ROUNDS):
        begun = time.thread_time()
        work()
        took.append(1000 * (time.thread_time() - begun))
    return min(took)
