"""Where everything of the score lies: plain geometry, in pixels, without a brush."""

import bisect
from enum import Enum

import numpy as np
from msgspec import Struct

from epiphane.document.grid import Bar
from epiphane.document.hits import has_own_line
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.model import DRUMS, Project
from epiphane.types import FloatArray

MARGIN_LEFT = 92
NAMES_RIGHT = MARGIN_LEFT - 14
MARGIN_RIGHT = 16
TOP = 8
RULER_HEIGHT = 28
SECTION_HEIGHT = 15
SOUND_HEIGHT = 46
SPECTRUM_HEIGHT = 96
HITS_HEIGHT = 39
PULSE_HEIGHT = 14
SHOTS_HEIGHT = 36
LANE_HEIGHT = 19
LANE_GAP = 2
STRIP_GAP = 5
STAVE_GAP = 22


class Strip(Enum):
    """The horizontal parts of a stave."""

    RULER = "ruler"
    SOUND = "sound"
    HITS = "hits"
    SHOTS = "shots"
    LANE = "lane"


class Stave(Struct, frozen=True):
    """One line of the score: `n_slots` bars wide, from `top`; `first` is the index of its first bar."""

    index: int
    top: float
    height: float
    first: int
    bars: tuple[Bar, ...]

    @property
    def start(self) -> float:
        """First instant, seconds."""
        return self.bars[0].start

    @property
    def end(self) -> float:
        """Last instant, seconds."""
        return self.bars[-1].end


class Place(Struct, frozen=True):
    """What lies at a point: the stave, the strip, the instant, and the lane or the pulse if it is one."""

    stave: Stave
    strip: Strip
    seconds: float
    lane: LaneId | None = None
    pulse: PulseId | None = None


class ScoreLayout:
    """The geometry of the score at a width.

    Staves have a line for section names where the song has sections, a strip for drum hits where it has
    any, and a line for each pulse that is not drawn there or on the ruler.

    Every bar has the same width, so repeats of the music stand under each other; within a bar time
    runs evenly. A bar cut short by an end of the song keeps the scale of its neighbours.

    Parameters
    ----------
    project : Project
    bars : tuple of Bar
    bars_per_line : int
    width : float, pixels
    sound_height : float, pixels
        Of the sound strip: a spectrum takes more than a waveform.
    """

    def __init__(
        self,
        project: Project,
        bars: tuple[Bar, ...],
        *,
        bars_per_line: int,
        width: float,
        sound_height: float = SOUND_HEIGHT,
    ) -> None:
        self.width, self.sound_height = width, sound_height
        self.pulses = tuple(pulse.id for pulse in project.pulses if has_own_line(pulse))
        self.lanes = tuple(lane.id for lane in project.lanes)
        self.bars_per_line = bars_per_line
        song = project.song
        self._sections = SECTION_HEIGHT if song is not None and song.sections else 0
        has_hits = song is not None and any(song.drums.hits(drum) for drum in DRUMS)
        self.drums_height = HITS_HEIGHT if has_hits else 0
        self._hits = self.drums_height + PULSE_HEIGHT * len(self.pulses)
        self._slot = max(40.0, (width - MARGIN_LEFT - MARGIN_RIGHT) / bars_per_line)
        self._usual = sorted(bar.duration for bar in bars)[len(bars) // 2] or 1.0
        self._is_first_cut = bars[0].duration < 0.98 * self._usual and len(bars) > 1
        self.staves: list[Stave] = []
        lanes_height = len(self.lanes) * (LANE_HEIGHT + LANE_GAP)
        stave_height = self.lanes_top(0) + lanes_height
        for first in range(0, len(bars), bars_per_line):
            index = len(self.staves)
            top = TOP + index * (stave_height + STAVE_GAP)
            self.staves.append(
                Stave(index, top, stave_height, first, tuple(bars[first : first + bars_per_line]))
            )
        self.height = TOP + len(self.staves) * (stave_height + STAVE_GAP)

    def ruler_top(self, top: float) -> float:
        """Top of the ruler of a stave at `top`: section names stand above it."""
        return top + self._sections

    def sound_top(self, top: float) -> float:
        """Top of the sound strip."""
        return self.ruler_top(top) + RULER_HEIGHT

    def hits_top(self, top: float) -> float:
        """Top of the strip of hits: drums first, then a line for each pulse."""
        return self.sound_top(top) + self.sound_height

    def pulse_middle(self, top: float, index: int) -> float:
        """Middle of a pulse's line, by its place in `pulses`."""
        return self.hits_top(top) + self.drums_height + PULSE_HEIGHT * (index + 0.5)

    def shots_top(self, top: float) -> float:
        """Top of the shot strip."""
        return self.hits_top(top) + self._hits + STRIP_GAP

    def lanes_top(self, top: float) -> float:
        """Top of the first lane."""
        return self.shots_top(top) + SHOTS_HEIGHT + STRIP_GAP

    def lane_top(self, stave: Stave, index: int) -> float:
        """Top of a lane's strip, by its place in the order."""
        return self.lanes_top(stave.top) + index * (LANE_HEIGHT + LANE_GAP)

    def slot_left(self, slot: int) -> float:
        """Left edge of a bar's place in its line."""
        return MARGIN_LEFT + slot * self._slot

    def right(self, stave: Stave) -> float:
        """Where the stave ends."""
        return self.x_at(stave, stave.end)

    def left(self, stave: Stave) -> float:
        """Where the stave begins."""
        return self.x_at(stave, stave.start)

    def x_at(self, stave: Stave, seconds: float) -> float:
        """Return the x of an instant on a stave, even if it lies beyond its ends."""
        slot = bisect.bisect_right(stave.bars, seconds, key=lambda bar: bar.start) - 1
        slot = min(max(slot, 0), len(stave.bars) - 1)
        bar = stave.bars[slot]
        scale, origin = self._scale(stave, slot, bar)
        return self.slot_left(slot) + origin + (seconds - bar.start) * scale

    def seconds_at(self, stave: Stave, x: float) -> float:
        """Return the instant at an x of a stave, within its ends."""
        slot = min(max(int((x - MARGIN_LEFT) // self._slot), 0), len(stave.bars) - 1)
        bar = stave.bars[slot]
        scale, origin = self._scale(stave, slot, bar)
        seconds = bar.start + (x - self.slot_left(slot) - origin) / scale
        return min(max(seconds, bar.start), bar.end)

    def seconds_of(self, stave: Stave, columns: FloatArray) -> FloatArray:
        """Return the instants at some x of a stave, ascending: `seconds_at` of each."""
        edges_x, edges = self._edges(stave)
        return np.interp(columns, edges_x, edges)

    def _edges(self, stave: Stave) -> tuple[list[float], list[float]]:
        """Return the x and the instants (seconds) of both ends of every bar of a stave."""
        edges_x: list[float] = []
        edges: list[float] = []
        for slot, bar in enumerate(stave.bars):
            scale, origin = self._scale(stave, slot, bar)
            left = self.slot_left(slot) + origin
            edges_x += [left, left + bar.duration * scale]
            edges += [bar.start, bar.end]
        return edges_x, edges

    def xs_of(self, stave: Stave, seconds: FloatArray) -> FloatArray:
        """Return the x of some instants on a stave, even beyond its ends: `x_at` of each."""
        edges_x, edges = self._edges(stave)
        beyond = 60.0
        before, after = (self._scale(stave, slot, stave.bars[slot])[0] for slot in (0, len(stave.bars) - 1))
        edges_x = [edges_x[0] - beyond * before, *edges_x, edges_x[-1] + beyond * after]
        return np.interp(seconds, [edges[0] - beyond, *edges, edges[-1] + beyond], edges_x)

    def pixels_per_second(self, stave: Stave, seconds: float) -> float:
        """Return the scale at an instant of a stave."""
        slot = min(
            max(bisect.bisect_right(stave.bars, seconds, key=lambda bar: bar.start) - 1, 0),
            len(stave.bars) - 1,
        )
        return self._scale(stave, slot, stave.bars[slot])[0]

    def stave_at(self, seconds: float) -> Stave:
        """Return the stave that an instant is on."""
        index = bisect.bisect_right(self.staves, seconds, key=lambda stave: stave.start) - 1
        return self.staves[min(max(index, 0), len(self.staves) - 1)]

    def locate(self, x: float, y: float) -> Place | None:
        """Return what lies at a point, or None above, below and between staves."""
        for stave in self.staves:
            if stave.top <= y < stave.top + stave.height + STAVE_GAP / 2:
                seconds = self.seconds_at(stave, x)
                if y < self.sound_top(stave.top):
                    return Place(stave, Strip.RULER, seconds)
                if y < self.hits_top(stave.top):
                    return Place(stave, Strip.SOUND, seconds)
                if y < self.shots_top(stave.top):
                    return self._place_of_hit(stave, y, seconds)
                if y < self.lanes_top(stave.top) or not self.lanes:
                    return Place(stave, Strip.SHOTS, seconds)
                index = int((y - self.lanes_top(stave.top)) // (LANE_HEIGHT + LANE_GAP))
                return Place(stave, Strip.LANE, seconds, self.lanes[min(index, len(self.lanes) - 1)])
        return None

    def _place_of_hit(self, stave: Stave, y: float, seconds: float) -> Place:
        if not self._hits:
            return Place(stave, Strip.SOUND, seconds)
        line = int((y - self.hits_top(stave.top) - self.drums_height) // PULSE_HEIGHT)
        pulse = self.pulses[min(line, len(self.pulses) - 1)] if self.pulses and line >= 0 else None
        return Place(stave, Strip.HITS, seconds, pulse=pulse)

    def _scale(self, stave: Stave, slot: int, bar: Bar) -> tuple[float, float]:
        """Return pixels a second in a bar, and how far from its slot's left edge it begins."""
        is_cut = bar.duration < 0.98 * self._usual and (
            (stave.first + slot == 0 and self._is_first_cut) or slot == len(stave.bars) - 1
        )
        if not is_cut:
            return self._slot / bar.duration, 0.0
        scale = self._slot / self._usual
        starts_late = stave.first + slot == 0 and self._is_first_cut
        return scale, self._slot - bar.duration * scale if starts_late else 0.0
