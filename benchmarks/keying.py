"""Whether lanes answer at once: planned again, dragged, scrolled by the dozen, opened with many cues."""

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from benchmarks.result import Result, at_most
from benchmarks.window import MINUTES, milliseconds, open_window, scrolled
from epiphane.demo.project import open_basic_demo
from epiphane.document.envelope import LengthUnit
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Override, Trigger
from epiphane.document.pick import Pattern, Pick
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.song import Beat, Song
from epiphane.document.song import Hit as SongHit
from epiphane.edits.keying.lanes import change_envelope, change_lane
from epiphane.files.project import load_project, save_project
from epiphane.keying.schedule import schedule

_N_CUES, _N_MANY = 5000, 50_000
_EFFECTS = ("flash", "zoom", "shake", "split", "blur", "hue")


def measure_keying(folder: Path) -> Iterator[Result]:
    """Plan a lane of 5,000 cues again; drag an envelope; scroll twelve lanes; open 50,000 cues."""
    project = song_with_taps(_N_CUES)
    yield from _planned_again(project)
    yield from _opened(folder)
    yield from _dragged(folder)
    yield from _scrolled(folder)


def song_with_taps(n_hits: int) -> Project:
    """Return four minutes at 150 BPM with a lane on so many taps."""
    period = 0.4
    beats = tuple(Beat(round(n * period, 6), n % 4 + 1, 0.8) for n in range(int(MINUTES * 60 / period)))
    song = Song("song.wav", "f" * 32, MINUTES * 60.0, tempo=150.0, is_steady=True, beats=beats)
    rng = np.random.default_rng(1)
    times = np.sort(rng.choice(MINUTES * 60 * 1000 - 1000, n_hits, replace=False)) / 1000
    strengths = np.round(rng.random(n_hits), 3)
    hits = tuple(map(SongHit, times.tolist(), strengths.tolist()))
    pulses = (
        Pulse(PulseId(1), "taps", TappedSource(hits)),
        Pulse(PulseId(2), "beats", HeardSource(PulseUnit.BEAT)),
        Pulse(PulseId(3), "quarters", HeardSource(PulseUnit.QUARTER)),
    )
    lane = Lane(LaneId(9), "flash", PulseId(1), wander=0.3, by_strength=0.5)
    return Project(song=song, pulses=pulses, stack=(lane,), next_id=20)


def _planned_again(project: Project) -> Iterator[Result]:
    """Change a lane, and ask for its cues and its levels."""
    changes: dict[str, Callable[[Project], Project]] = {
        "fall": lambda p: change_envelope(p, LaneId(9), fall=11),
        "beats": lambda p: change_envelope(p, LaneId(9), rise=0.125, fall=0.5, unit=LengthUnit.BEATS),
        "pattern": lambda p: change_lane(p, LaneId(9), pick=Pick(pattern=Pattern((1.0, 0.5) * 8))),
        "step": lambda p: change_lane(p, LaneId(9), trigger=Trigger.STEP),
        "toggle": lambda p: change_lane(p, LaneId(9), trigger=Trigger.TOGGLE),
    }
    before = schedule(project)
    before.lanes[0].levels.sum()
    for name, change in changes.items():
        changed = change(project)

        def plan(changed: Project = changed) -> None:
            found = schedule(changed, before).lanes[0]
            found.levels.sum()

        took = milliseconds(plan, n_times=15)
        yield at_most(f"{_N_CUES} cues and their levels planned again: {name}", took, 10, "ms")


def _opened(folder: Path) -> Iterator[Result]:
    """Open a file of ten lanes of 5,000 cues each, one in ten of them changed."""
    project = song_with_taps(_N_CUES)
    changed = tuple(
        Override(hit.time, strength=0.5)
        for hit in project.pulses[0].source.hits[::10]  # type: ignore[union-attr]
    )
    n_lanes = _N_MANY // _N_CUES
    lanes = tuple(
        Lane(LaneId(30 + n), _EFFECTS[n % len(_EFFECTS)], PulseId(1), overrides=changed)
        for n in range(n_lanes)
    )
    path = folder / "many.epiphane"
    assert project.song is not None
    song = replace(
        project.song, path=str(folder / "song.wav")
    )  # one of the project's own folder: nothing is asked
    save_project(with_lanes(project, song=song, lanes=lanes, next_id=90), path)

    def open_it() -> None:
        for lane in schedule(load_project(path)).lanes:
            lane.levels.sum()

    seconds = milliseconds(open_it, n_times=3) / 1000
    yield at_most(f"a project of {_N_MANY} cues read and planned", seconds, 2, "s")
    window = open_window(folder, Project(), None)

    def open_in_window() -> None:
        window.editor.open(Project(), None)  # lanes that are the same would not be planned again
        window.files.open_path(path)
        window.repaint()

    seconds = milliseconds(open_in_window, n_times=3) / 1000
    yield at_most("  and opened in the window until it is painted", seconds, 2, "s")
    window.shut_down()


def _dragged(folder: Path) -> Iterator[Result]:
    """Drag the corner of an envelope in the demo, till the score is painted and the picture is there."""
    window = open_window(folder, open_basic_demo(), None)
    lane = window.editor.project.lanes[0].id
    cue = window.editor.cues.lanes[0].cues[8]
    window.editor.select_cues(frozenset(), lane=lane)
    window.editor.go_to(cue.frame + 3)
    viewport = window.score.viewport()
    assert viewport is not None
    shown = []
    window.playback.shown.connect(lambda *_: shown.append(True))
    for _ in range(200):
        QApplication.processEvents()
    falls = iter(range(12, 400))

    def drag(*, with_picture: bool) -> None:
        shown.clear()
        fall = next(falls)
        window.editor.apply(lambda p: change_envelope(p, lane, fall=fall), "fall", gesture="fall")
        viewport.repaint()
        window.bench.repaint()
        while with_picture and not shown:
            QApplication.processEvents()

    score = milliseconds(lambda: drag(with_picture=False), n_times=15)
    yield at_most("from dragging an envelope to its score and bench", score, 50, "ms")
    both = milliseconds(lambda: drag(with_picture=True), n_times=15)
    yield at_most("  and until the picture is there", both, 50, "ms")
    window.editor.end_gesture()
    window.shut_down()


def _scrolled(folder: Path) -> Iterator[Result]:
    """Go through a score of twelve lanes on beats and quarters."""
    project = song_with_taps(100)
    lanes = tuple(
        Lane(LaneId(30 + n), _EFFECTS[n % len(_EFFECTS)], PulseId(2 + n % 2), wander=0.3) for n in range(12)
    )
    window = open_window(folder, with_lanes(project, lanes=lanes, next_id=90), None)
    yield from scrolled(window, "twelve lanes")
    window.shut_down()
