"""Whether the window answers at once under load: an hour of song, 2,000 shots, 50,000 cues, nine gestures."""

import statistics
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QApplication

from benchmarks.result import Result, at_most
from benchmarks.window import open_window
from epiphane.desk.control.selection import LaneSelection
from epiphane.desk.shell.window import Window
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.song import Beat, Drums, Hit, Section, Song
from epiphane.document.timeline import footage_item
from epiphane.edits.keying.cues import toggle_cues
from epiphane.edits.keying.lanes import add_lane, change_envelope
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.shots import move_shot, slip_shot
from epiphane.edits.song.beats import move_beat
from epiphane.files.project import load_project, save_project

_SECONDS, _TEMPO, _RATE = 3600, 125.0, 30
_N_SHOTS, _N_CUES, _N_CLIPS = 2000, 50_000, 60
_N_TIMES = 5


def measure_load(folder: Path) -> Iterator[Result]:
    """Open a project of that size and time nine gestures, each until the window has painted what it did."""
    project = large_project()
    path = folder / "load.epiphane"
    save_project(project, path)
    started = time.perf_counter()
    load_project(path)
    yield Result("read", f"{time.perf_counter() - started:.2f} s")
    window = open_window(folder, project, None)
    window.editor.go_to(1000)
    _settle()
    for name, gesture in _gestures(window).items():
        seconds = []
        for number in range(_N_TIMES):
            seconds.append(_timed(gesture, number))
            _settle(0.1)  # as between two gestures of a hand
        yield at_most(name, 1000 * statistics.median(seconds), 100, "ms")
    window.editor.apply(_with_transitions, "transitions at all cuts")
    _settle()
    yield at_most("what lies under the pointer, the slowest row", _pointed(window), 2, "ms")
    window.shut_down()


def _with_transitions(project: Project) -> Project:
    project, cuts = ensure_pulse(project, PulseUnit.CUT)
    return add_lane(project, "dissolve", cuts)


def _pointed(window: Window) -> float:
    """Return how many milliseconds it takes to tell what could be held at a point, over the slowest row."""
    score, layout = window.score, window.score.layout_now()
    slowest = 0.0
    for row in layout.rows:
        y = layout.staves[1].top + (row.top + row.bottom) / 2
        points = [QPointF(200 + 7 * n, y) for n in range(60)]
        started = time.perf_counter()
        for at in points:
            score.cursor_at(at)
        slowest = max(slowest, 1000 * (time.perf_counter() - started) / len(points))
    return slowest


def large_project() -> Project:
    """Return a project with an hour of song, 2,000 shots of 60 clips, and 50,000 cues in twelve lanes."""
    rng = np.random.default_rng(4)
    period = 60 / _TEMPO
    beats = tuple(Beat(round(n * period, 6), n % 4 + 1, 0.8) for n in range(int(_SECONDS / period)))
    hits = tuple(Hit(beat.time, 0.8) for beat in beats)
    drums = Drums(hits[::2], hits[1::2], hits)
    sections = tuple(Section(s * 30.0, s * 30.0 + 30, "A", "full", 0.8) for s in range(_SECONDS // 30))
    song = Song(
        "song.wav", "f" * 32, float(_SECONDS), _TEMPO, True, beats, drums, sections, drops=(60.0, 1800.0)
    )
    rate, kind = Fraction(_RATE), FootageKind.VIDEO
    footage = tuple(
        Footage(FootageId(n), f"clip{n}.mp4", f"{n:032x}", 120.0, 1920, 1080, rate, kind=kind)
        for n in range(1, _N_CLIPS + 1)
    )
    n_frames = _SECONDS * _RATE
    edges = np.linspace(0, n_frames, _N_SHOTS + 1).round().astype(int)
    shots = tuple(
        footage_item(
            ItemId(1000 + n), FootageId(n % _N_CLIPS + 1), int(a), int(b - a), source_start=float(n % 100)
        )
        for n, (a, b) in enumerate(pairwise(edges.tolist()))
    )
    times = np.sort(rng.choice(_SECONDS * 1000 - 1000, 9000, replace=False)) / 1000
    pulses = (
        Pulse(PulseId(101), "beats", HeardSource(PulseUnit.BEAT)),
        Pulse(PulseId(102), "taps", TappedSource(tuple(Hit(float(t), 0.7) for t in times))),
        Pulse(PulseId(103), "bars", HeardSource(PulseUnit.BAR)),
    )
    effects = (
        "flash",
        "zoom",
        "shake",
        "blur",
        "split",
        "hue",
        "invert",
        "pixelate",
        "glow",
        "spin",
        "strobe",
        "tint",
    )
    lanes, n_cues = [], 0
    for number, effect in enumerate(effects):
        pulse = (
            PulseId(102) if n_cues + 9000 <= _N_CUES and number % 2 == 0 else PulseId(101 + 2 * (number % 2))
        )
        n_cues += {101: len(beats), 102: 9000, 103: len(beats) // 4}[pulse]
        lanes.append(Lane(LaneId(200 + number), effect, pulse))
    return Project(
        song=song, footage=footage, shots=shots, pulses=pulses, stack=tuple(lanes), next_id=100_000
    )


def _gestures(window: Window) -> dict[str, Callable[[int], object]]:
    editor = window.editor
    first = editor.project.lanes[0].id

    def cues(number: int) -> object:
        lane = editor.project.lanes[0].id
        key = (lane, editor.cues.lanes[0].cues[40 + number].hit.time)
        return editor.apply(lambda p: toggle_cues(p, [key]), "switch")

    def scroll(number: int) -> None:
        bar = window.score.verticalScrollBar()
        assert bar is not None
        bar.setValue(400 * (number + 1))

    def select(number: int) -> None:
        editor.select(LaneSelection(editor.project.lanes[1 + number].id))

    return {
        "a beat moved": lambda n: editor.apply(
            lambda p: move_beat(p, 60 + n, 60 * 0.48 + n * 0.48 + 0.01), "beat"
        ),
        "a lane selected": select,
        "a lane added": lambda n: window.lanes.add("flash"),
        "a cue switched off": cues,
        "an envelope dragged": lambda n: editor.apply(
            lambda p: change_envelope(p, first, fall=8 + n), "fall"
        ),
        "a shot moved": lambda n: editor.apply(lambda p: move_shot(p, p.shots[20 + n].id, 1), "move"),
        "a shot slipped": lambda n: editor.apply(
            lambda p: slip_shot(p, p.shots[30].id, source_start=3.0 + n), "slip"
        ),
        "a stave scrolled": scroll,
        "undo": lambda n: editor.undo(),
    }


def _settle(seconds: float = 1.5) -> None:
    """Let what is at work in the background end: thumbnails, frames around the playhead."""
    until = time.perf_counter() + seconds
    while time.perf_counter() < until:
        QApplication.processEvents()
        time.sleep(0.005)


def _timed(gesture: Callable[[int], object], number: int) -> float:
    started = time.perf_counter()
    gesture(number)
    QApplication.processEvents()
    return time.perf_counter() - started
