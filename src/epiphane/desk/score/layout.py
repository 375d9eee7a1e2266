"""Where everything of the score lies: plain geometry, in pixels, without a brush."""

import bisect
from enum import Enum
from fractions import Fraction

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.ids import LaneId, PulseId, TrackId
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import DRUMS
from epiphane.facts.grid import Bar
from epiphane.facts.hits import has_own_line
from epiphane.lane_kinds import is_transition
from epiphane.types import FloatArray

MARGIN_LEFT = 112
SNAP_PIXELS = 8
"""From how far off what is dragged snaps to a hit, px."""
NAMES_RIGHT = MARGIN_LEFT - 14
MARGIN_RIGHT = 16
TOP = 8
SECTION_HEIGHT = 17
SPECTRUM_HEIGHT = 96
_MANY_LANES, _VERY_MANY_LANES = 7, 12


class LaneRows(Enum):
    """How the lanes of a stave stand: tall, low with all that is above them, or all in one row."""

    TALL = "tall"
    LOW = "low"
    FOLDED = "folded"


def usual_rows(n_lanes: int) -> LaneRows:
    """Return how so many lanes stand unless the user wants it otherwise: three lines are to be in sight."""
    if n_lanes < _MANY_LANES:
        return LaneRows.TALL
    return LaneRows.LOW if n_lanes < _VERY_MANY_LANES else LaneRows.FOLDED


class Heights(Struct, frozen=True):
    """How tall the parts of a stave are, in pixels."""

    ruler: int
    sound: int
    drum: int
    pulse: int
    shots: int
    lane: int
    lane_gap: int
    strip_gap: int
    stave_gap: int


TALL = Heights(
    ruler=28, sound=46, drum=12, pulse=14, shots=36, lane=19, lane_gap=2, strip_gap=5, stave_gap=22
)
LOW = Heights(25, 26, drum=11, pulse=13, shots=26, lane=12, lane_gap=1, strip_gap=3, stave_gap=12)
_FOLD_HEIGHT = 19
_EASY_TO_HIT = 18
_BOWS_HEIGHT = 14
_FOLDED_ROW = 7
_DRUM_ORDER = ("hat", "snare", "kick")


class Strip(Enum):
    """The horizontal parts of a stave."""

    PARTS = "parts"
    RULER = "ruler"
    SOUND = "sound"
    HITS = "hits"
    CUTS = "cuts"
    SHOTS = "shots"
    TRACK = "track"
    LANE = "lane"
    FOLD = "fold"


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
    """What lies at a point: stave, strip and instant; the lane, pulse, drum or track if it is one."""

    stave: Stave
    strip: Strip
    seconds: float
    lane: LaneId | None = None
    pulse: PulseId | None = None
    drum: PulseUnit | None = None
    track: TrackId | None = None


class RowPlace(Struct, frozen=True):
    """Where a row of every stave lies: from `top`, counted from that of the stave, to `bottom`, in pixels.

    The gap below it is its own; `lane` is its lane if it has one, and `track` its track.
    """

    strip: Strip
    top: float
    bottom: float
    lane: LaneId | None = None
    track: TrackId | None = None


class ScoreLayout:
    """The geometry of the score at a width.

    Staves have a line for the parts of the song where there is one, a strip for drum hits where it has
    any, and a line for each pulse that is not drawn there or on the ruler.

    Every bar has the same width, so repeats of the music stand under each other; within a bar time
    runs evenly. A bar cut short by an end of the song keeps the scale of its neighbours.

    Where lanes are folded, all of them stand in one row, and the one that is worked on in another below it.

    Parameters
    ----------
    project : Project
    bars : tuple of Bar
    bars_per_line : int
    width : float, pixels
    rows : LaneRows
    open_lane : LaneId or None
        The lane that has a row of its own where they are folded; the first unless it is there.
    shows_spectrum : bool
        A spectrum takes more room than a waveform.
    is_taking : bool
        Whether something is carried over it: rows are tall enough to be hit.
    lift : float
        By how much all of it stands higher than it would.
    is_slim : bool
        Whether there are only the ruler, the song, the shots, and all lanes in one row.
    """

    def __init__(
        self,
        project: Project,
        bars: tuple[Bar, ...],
        *,
        bars_per_line: int,
        width: float,
        rows: LaneRows = LaneRows.TALL,
        open_lane: LaneId | None = None,
        shows_spectrum: bool = False,
        is_slim: bool = False,
        is_taking: bool = False,
        lift: float = 0.0,
    ) -> None:
        self.width, self.shows_spectrum, self.is_slim = width, shows_spectrum, is_slim
        self.heights = heights = TALL if rows is LaneRows.TALL and not is_slim else LOW
        if is_taking:
            rows_hit = {name: max(getattr(heights, name), _EASY_TO_HIT) for name in ("drum", "pulse", "lane")}
            self.heights = heights = replace(heights, **rows_hit)
        self.sound_height = SPECTRUM_HEIGHT if shows_spectrum and not is_slim else heights.sound
        lines = () if is_slim else project.pulses
        self.pulses = tuple(pulse.id for pulse in lines if has_own_line(pulse))
        self.lanes = tuple(lane.id for lane in project.lanes)
        self.tracks = tuple(track.id for track in project.tracks)
        self.folded = frozenset(row.id for row in project.stack if row.is_folded)
        self.is_folded = (rows is LaneRows.FOLDED or is_slim) and len(self.lanes) > 1
        self.lane_height = TALL.lane if self.is_folded else heights.lane
        self.shown_lanes = self.lanes
        if self.is_folded:
            self.shown_lanes = (open_lane,) if open_lane in self.lanes else self.lanes[: not is_slim]
        self.bars_per_line = bars_per_line
        song = project.song
        self._sections = SECTION_HEIGHT if song is not None and not is_slim else 0
        has_hits = not is_slim and song is not None and any(song.drums.hits(drum) for drum in DRUMS)
        self.drums_height = 3 * heights.drum + 3 if has_hits else 0
        self._hits = self.drums_height + heights.pulse * len(self.pulses)
        has_bows = not is_slim and any(is_transition(lane.effect) for lane in project.lanes)
        self.bows_height = _BOWS_HEIGHT if has_bows else 0
        self._slot = max(40.0, (width - MARGIN_LEFT - MARGIN_RIGHT) / bars_per_line)
        self._usual = sorted(bar.duration for bar in bars)[len(bars) // 2] or 1.0
        self._is_first_cut = bars[0].duration < 0.98 * self._usual and len(bars) > 1
        self.staves: list[Stave] = []
        self._stack_tops = self._placed_stack(project)
        stave_height = self.stack_top(0) + self._stack_height
        for first in range(0, len(bars), bars_per_line):
            index = len(self.staves)
            top = TOP - lift + index * (stave_height + heights.stave_gap)
            self.staves.append(
                Stave(index, top, stave_height, first, tuple(bars[first : first + bars_per_line]))
            )
        self.height = TOP + len(self.staves) * (stave_height + heights.stave_gap)
        self.rows = self._rows()

    def _rows(self) -> tuple[RowPlace, ...]:
        """Return the rows of a stave from above to below."""
        rows = [RowPlace(Strip.PARTS, 0, self.ruler_top(0))] if self._sections else []
        rows += [
            RowPlace(Strip.RULER, self.ruler_top(0), self.sound_top(0)),
            RowPlace(Strip.SOUND, self.sound_top(0), self.hits_top(0)),
            RowPlace(Strip.HITS, self.hits_top(0), self.bows_top(0)),
        ]
        if self.bows_height:
            rows.append(RowPlace(Strip.CUTS, self.bows_top(0), self.bows_top(0) + self.bows_height))
        rows.append(RowPlace(Strip.SHOTS, self.bows_top(0) + self.bows_height, self.stack_top(0)))
        if self.is_folded:
            rows.append(RowPlace(Strip.FOLD, self.stack_top(0), self.stack_top(0) + self.fold_height))
        for row, below in self._stack_tops.items():
            top = self.stack_top(0) + below
            if row in self.lanes:
                rows.append(RowPlace(Strip.LANE, top, top + self.row_step(row), LaneId(row)))
            else:
                rows.append(RowPlace(Strip.TRACK, top, top + self.row_step(row), track=TrackId(row)))
        return tuple(rows)

    def _placed_stack(self, project: Project) -> dict[int, float]:
        """Return how far below the top of the stack each row that is seen lies, in their order."""
        below: dict[int, float] = {}
        height = self.fold_height
        for row in project.stack:
            if self.is_slim or (isinstance(row, Lane) and row.id not in self.shown_lanes):
                continue
            below[row.id] = height
            height += self.row_step(row.id)
        self._stack_height = height
        return below

    def look(self, stave: Stave) -> object:
        """Return what the picture of a stave depends on beside what it shows."""
        return (stave, self.width, self.heights, self.sound_height, self.is_folded, self.rows)

    @property
    def fold_height(self) -> int:
        """How much the row takes in which all lanes stand, with the gap below it; 0 where there is none."""
        return _FOLD_HEIGHT + self.heights.lane_gap if self.is_folded else 0

    @property
    def lane_step(self) -> int:
        """From the top of a lane's row to that of the next."""
        return self.lane_height + self.heights.lane_gap

    def ruler_top(self, top: float) -> float:
        """Top of the ruler of a stave at `top`: section names stand above it."""
        return top + self._sections

    def sound_top(self, top: float) -> float:
        """Top of the sound strip."""
        return self.ruler_top(top) + self.heights.ruler

    def hits_top(self, top: float) -> float:
        """Top of the strip of hits: drums first, then a line for each pulse."""
        return self.sound_top(top) + self.sound_height

    def pulse_middle(self, top: float, index: int) -> float:
        """Middle of a pulse's line, by its place in `pulses`."""
        return self.hits_top(top) + self.drums_height + self.heights.pulse * (index + 0.5)

    def drum_middle(self, top: float, drum: str) -> float:
        """Middle of a drum's line: as on a drum stave, the low drum lies low."""
        return self.hits_top(top) + self.heights.drum * (_DRUM_ORDER.index(drum) + 0.5) + 1

    def bows_top(self, top: float) -> float:
        """Top of the strip of the transitions' bows, right above the shots, or where it would be."""
        return self.hits_top(top) + self._hits

    def shots_top(self, top: float) -> float:
        """Top of the shot strip."""
        return self.bows_top(top) + self.bows_height + self.heights.strip_gap

    def row_step(self, row: int) -> int:
        """From the top of a row of the stack to that of the next one."""
        if row in self.folded:
            return _FOLDED_ROW + self.heights.lane_gap
        return self.lane_step if row in self.lanes else self.heights.lane + self.heights.lane_gap

    def stack_top(self, top: float) -> float:
        """Top of the rows of the stack: of that for all lanes, if they are folded, or of the first."""
        return self.shots_top(top) + self.heights.shots + self.heights.strip_gap

    def track_top(self, stave: Stave, track: TrackId) -> float:
        """Top of a track's strip on a stave."""
        return self.stack_top(stave.top) + self._stack_tops[track]

    def lane_top(self, stave: Stave, index: int) -> float:
        """Top of a lane's strip, by its place among the lanes; folded away, that of the row of all."""
        return self.stack_top(stave.top) + self._stack_tops.get(self.lanes[index], 0)

    def stack_index(self, stave: Stave, y: float) -> int:
        """Return the place in the stack of the row at a height, or of the one nearest to it."""
        below = y - self.stack_top(stave.top)
        return max(0, bisect.bisect_right(list(self._stack_tops.values()), below) - 1)

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

    def frames_across(self, place: Place, pixels: float, rate: Fraction) -> float:
        """Return how many frames so many pixels across are at a place."""
        # [px] / [px/s] * [frame/s] = [frame]
        return pixels / self.pixels_per_second(place.stave, place.seconds) * float(rate)

    def stave_at(self, seconds: float) -> Stave:
        """Return the stave that an instant is on."""
        index = bisect.bisect_right(self.staves, seconds, key=lambda stave: stave.start) - 1
        return self.staves[min(max(index, 0), len(self.staves) - 1)]

    def locate(self, x: float, y: float) -> Place | None:
        """Return what lies at a point, or None above, below and between staves."""
        for stave in self.staves:
            if stave.top <= y < stave.top + stave.height + self.heights.stave_gap / 2:
                below = y - stave.top
                row = next((row for row in self.rows if row.top <= below < row.bottom), self.rows[-1])
                seconds = self.seconds_at(stave, x)
                if row.strip is Strip.HITS:
                    return self._place_of_hit(stave, y, seconds)
                return Place(stave, row.strip, seconds, row.lane, track=row.track)
        return None

    def middle_of(self, place: Place) -> float:
        """Return the height of the middle of the row that a place is in."""
        top = place.stave.top
        if place.drum is not None:
            return self.drum_middle(top, place.drum.value)
        if place.pulse is not None:
            return self.pulse_middle(top, self.pulses.index(place.pulse))
        rows = (
            one
            for one in self.rows
            if (one.strip, one.lane, one.track) == (place.strip, place.lane, place.track)
        )
        row = next(rows, self.rows[0])
        return top + (row.top + row.bottom) / 2

    def _place_of_hit(self, stave: Stave, y: float, seconds: float) -> Place:
        if not self._hits:
            return Place(stave, Strip.SOUND, seconds)
        below = y - self.hits_top(stave.top)
        if below < self.drums_height:
            number = min(int(below // self.heights.drum), len(_DRUM_ORDER) - 1)
            return Place(stave, Strip.HITS, seconds, drum=PulseUnit(_DRUM_ORDER[number]))
        line = int((below - self.drums_height) // self.heights.pulse)
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
