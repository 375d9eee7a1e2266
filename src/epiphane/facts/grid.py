"""The bars of a song, from its beats."""

import bisect
from fractions import Fraction
from functools import lru_cache

import numpy as np
from msgspec import Struct

from epiphane.document.lane import Lane
from epiphane.document.project import Project, pulse_of
from epiphane.document.pulse import TempoSource
from epiphane.document.song import Song
from epiphane.timing import frame_at, frames_covering
from epiphane.types import FloatArray

# Where nothing has a beat, time is ruled in steps of this many seconds.
BLANK_BAR_SECONDS = 2.0
_SHORTEST_BAR_SECONDS = 0.2
_ON_BEAT_SECONDS = 0.01

DOUBTFUL = 0.5
"""A beat that is less sure than this is drawn hollow, and counted as doubtful."""


class Bar(Struct, frozen=True):
    """A bar: from `start` to `end` seconds, with the times of its beats.

    The first whole bar is number 1; what comes before counts down to 0 and below.
    """

    number: int
    start: float
    end: float
    beats: tuple[float, ...] = ()

    @property
    def duration(self) -> float:
        """Length in seconds."""
        return self.end - self.start


def bars_of(project: Project) -> tuple[Bar, ...]:
    """Return the bars that cover the project from 0 to its end, and at least one.

    Bars go on at the pace of their neighbours before the first and after the last beat; the bars at
    both ends may be cut short by the ends of the song.
    """
    if project.song is not None:
        return _bars_of_song(project.song)
    return _blank_bars(project.n_frames / project.rate)


def beat_lengths(project: Project, lane: Lane, times: FloatArray) -> FloatArray:
    """Return how long a beat is to a lane at some times, both in seconds, float64, the shape of `times`.

    It is the distance between the beats beside each time; beyond them that of the nearest two. Without beats
    it is that of the lane's pulse, if that is a bare tempo, or half a second.
    """
    beats = project.song.beats if project.song is not None else ()
    if len(beats) < 2:
        pulse = pulse_of(project, lane)
        tempo = pulse.source.tempo if pulse is not None and isinstance(pulse.source, TempoSource) else 120.0
        return np.full(len(times), 60.0 / tempo)
    instants: FloatArray = np.array([beat.time for beat in beats])
    after = np.searchsorted(instants, times + _ON_BEAT_SECONDS, side="right")
    return np.asarray(np.diff(instants)[np.clip(after - 1, 0, len(beats) - 2)])


def usual_beat_frames(project: Project, lane: Lane) -> float:
    """Return how many frames a beat usually lasts: the median of the song's, or as `beat_lengths` has it."""
    beats = project.song.beats if project.song is not None else ()
    times: FloatArray = np.array([beat.time for beat in beats] or [0.0])
    return float(np.median(beat_lengths(project, lane, times))) * float(project.rate)


def bar_at(bars: tuple[Bar, ...], seconds: float) -> int:
    """Return the index of the bar at an instant; the first or last where it lies outside."""
    index = bisect.bisect_right(bars, seconds, key=lambda bar: bar.start) - 1
    return min(max(index, 0), len(bars) - 1)


def bar_frames(bars: tuple[Bar, ...], rate: Fraction) -> list[int]:
    """Return the frame of every bar line, and last the end: the first frame after all sound."""
    return [frame_at(bar.start, rate) for bar in bars] + [frames_covering(bars[-1].end, rate)]


@lru_cache(maxsize=16)
def _bars_of_song(song: Song) -> tuple[Bar, ...]:
    times = [beat.time for beat in song.beats]
    lines = [beat.time for beat in song.beats if beat.place == 1]
    if len(lines) < 2:
        return _blank_bars(Fraction(song.duration))
    n_before = _n_more(lines[0], lines[1] - lines[0])
    step = lines[1] - lines[0]
    before = [lines[0] - step * n for n in range(n_before, 0, -1)]
    step = lines[-1] - lines[-2]
    n_after = _n_more(song.duration - lines[-1], step)
    edges = before + lines + [lines[-1] + step * n for n in range(1, n_after + 1)]
    starts, ends = [0.0, *edges[1:]], [*edges[1:], max(song.duration, edges[-1])]
    bars: list[Bar] = []
    for index, edges_of_bar in enumerate(zip(starts, ends, strict=True)):
        start, end = edges_of_bar[0], min(edges_of_bar[1], song.duration)
        if end - start < _SHORTEST_BAR_SECONDS and bars:
            bars[-1] = Bar(bars[-1].number, bars[-1].start, end, bars[-1].beats)
            continue
        inside = times[bisect.bisect_left(times, start - 1e-6) : bisect.bisect_left(times, end - 1e-6)]
        bars.append(Bar(index - n_before + 1, start, end, tuple(inside)))
    return tuple(bars)


def _n_more(seconds: float, step: float) -> int:
    """Return how many bars it takes to go back or on by `seconds`."""
    return max(0, -int(-(seconds - _SHORTEST_BAR_SECONDS) // max(step, _SHORTEST_BAR_SECONDS)))


def _blank_bars(duration: Fraction) -> tuple[Bar, ...]:
    seconds = max(float(duration), BLANK_BAR_SECONDS)
    n_bars = max(1, -int(-seconds // BLANK_BAR_SECONDS))
    return tuple(
        Bar(n + 1, n * BLANK_BAR_SECONDS, min((n + 1) * BLANK_BAR_SECONDS, seconds)) for n in range(n_bars)
    )
