"""Whether pulses and beats answer at once: bands, corrections, and a score full of hits."""

from collections.abc import Iterator
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.result import Result, at_most
from benchmarks.window import MINUTES, milliseconds, open_window, scrolled
from epiphane.audio.band_levels import SongLevels
from epiphane.audio.bands import band_hits
from epiphane.audio.listening import listen
from epiphane.audio.samples import Samples, read_samples
from epiphane.demo import SONG_FILE
from epiphane.document.footage import Footage
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.lane import Lane, Override
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import Combination, CombinedSource, HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.song import Beat, Hit, Song
from epiphane.document.timeline import footage_item
from epiphane.edits.song.beats import move_beat
from epiphane.facts.hits import hits_of
from epiphane.keying.schedule import schedule
from epiphane.timing import frame_at

_N_SHOTS, _N_OVERRIDES = 500, 5000


def measure_pulses(folder: Path) -> Iterator[Result]:
    """Drag a band, move a beat of a large project, scroll and drag in a score of four minutes."""
    levels = _long_levels()
    for name, low, high in (("low", 40.0, 120.0), ("high", 2000.0, 8000.0), ("whole", 30.0, 16_000.0)):
        took = milliseconds(partial(band_hits, levels, low, high, 0.85, 0.12))
        yield at_most(f"hits of the {name} band of four minutes", took, 16, "ms")
    project = _large_project()
    assert project.song is not None
    moved = project.song.beats[300].time + 0.02
    took = milliseconds(lambda: move_beat(project, 300, moved, n_following=4))
    yield at_most(f"regrid of {_N_SHOTS} shots and {_N_OVERRIDES} overrides", took, 50, "ms")
    yield Result("  and its cues again", f"{milliseconds(lambda: _reschedule(project)):.1f} ms")
    yield from _score(folder, levels)


def _reschedule(project: Project) -> None:
    hits_of.cache_clear()
    schedule(project)


def _long_levels() -> SongLevels:
    song = read_samples(SONG_FILE)
    n_times = round(MINUTES * 60 / song.duration)
    found = listen(Samples(np.tile(song.data, (n_times, 1)), song.rate)).levels
    assert found is not None
    return found


def _large_project() -> Project:
    """Return four minutes at 150 BPM: 500 shots cut on beats, ten lanes with 500 overrides each."""
    period = 0.4
    beats = tuple(Beat(round(n * period, 6), n % 4 + 1, 0.8) for n in range(int(MINUTES * 60 / period)))
    song = Song("song.wav", "f" * 32, MINUTES * 60.0, tempo=150.0, is_steady=True, beats=beats)
    project = Project(song=song, pulses=(Pulse(PulseId(1), "beats", HeardSource(PulseUnit.BEAT)),))
    frames = [frame_at(beat.time, project.rate) for beat in beats[: _N_SHOTS + 1]]
    shots = tuple(
        footage_item(ItemId(100 + n), FootageId(1), frames[n], frames[n + 1] - frames[n])
        for n in range(_N_SHOTS)
    )
    overrides = tuple(Override(beat.time, nudge=1) for beat in beats[: _N_OVERRIDES // 10])
    lanes = tuple(Lane(LaneId(5000 + n), "flash", PulseId(1), overrides=overrides) for n in range(10))
    clip = Footage(FootageId(1), "clip.mp4", "1" * 32, 600.0, 1280, 720, Fraction(30))
    return with_lanes(project, lanes, footage=(clip,), shots=shots, next_id=6000)


def _score(folder: Path, levels: SongLevels) -> Iterator[Result]:
    """Scroll the score of a four-minute song with four pulses, and drag a beat in it."""
    project = _large_project()
    taps = tuple(Hit(round(0.13 + 0.31 * n, 6), 0.7) for n in range(700))
    pulses = (
        *project.pulses,
        Pulse(PulseId(2), "quarters", HeardSource(PulseUnit.QUARTER)),
        Pulse(PulseId(3), "taps", TappedSource(taps)),
        Pulse(PulseId(4), "off-beats", HeardSource(PulseUnit.OFF_BEAT)),
        Pulse(PulseId(5), "both", CombinedSource(Combination.EITHER, PulseId(3), PulseId(4))),
    )
    project = with_lanes(project, pulses=pulses, shots=(), lanes=project.lanes[:2])
    window = open_window(folder, project, levels)
    yield from scrolled(window, "four pulses")
    viewport = window.score.viewport()
    assert viewport is not None

    def move_once() -> None:
        song = window.editor.project.song
        assert song is not None
        window.editor.apply(lambda p: move_beat(p, 5, song.beats[5].time + 0.001), "move", gesture="beat")
        viewport.repaint()

    before = window.editor.project
    move_once()
    assert window.editor.project is not before  # it was not refused
    yield at_most("from moving a beat to seeing it", milliseconds(move_once), 50, "ms")
    window.shut_down()
