"""Where a song stops for a moment: drums and low end break off after a stroke, and come again soon."""

import numpy as np

from epiphane.document.song import Hit, Song
from epiphane.types import FloatArray

_STRUCK = ("kick", "snare", "hat", "low")
_LEAST_BEATS, _MOST_BEATS = 1.75, 9.25  # of silence: half a bar of four to two bars and what rings
_LEAST_RATIO = 3.0  # to what usually lies between two strokes before it
_AROUND_BEATS, _FEWEST_AROUND = 8, 6
_SAME_SECONDS, _NEXT_BEATS = 0.06, 1.1


def stops_of(song: Song) -> tuple[Hit, ...]:
    """Return the moment of each stop of half a bar to two bars, ascending.

    That is the first beat of a bar that is silent from there on or from its first stroke on, or else the last
    stroke. Before and after it drums or low end play on: a break of a whole part is no stop, nor is an end.
    """
    strokes = _strokes(song)
    if len(song.beats) < 2 or len(strokes) < 2 * _FEWEST_AROUND:
        return ()
    beat = float(np.median(np.diff([one.time for one in song.beats])))
    downbeats = np.array([one.time for one in song.beats if one.place == 1])
    gaps = np.diff(strokes)
    found = []
    for number in np.flatnonzero((gaps > _LEAST_BEATS * beat) & (gaps < _MOST_BEATS * beat)):
        start, end = strokes[number], strokes[number + 1]
        before = strokes[(strokes <= start) & (strokes > start - _AROUND_BEATS * beat)]
        after = strokes[(strokes >= end) & (strokes < end + _AROUND_BEATS * beat)]
        plays_on = min(len(before), len(after)) >= _FEWEST_AROUND
        if plays_on and gaps[number] > _LEAST_RATIO * float(np.median(np.diff(before))):
            found.append(Hit(_moment(float(start), downbeats, beat)))
    return tuple(found)


def _moment(last_stroke: float, downbeats: FloatArray, beat: float) -> float:
    after = downbeats[downbeats > last_stroke - _SAME_SECONDS]
    is_near = len(after) > 0 and after[0] < last_stroke + _NEXT_BEATS * beat
    return float(after[0]) if is_near else last_stroke


def _strokes(song: Song) -> FloatArray:
    """Return when a drum or the low end is struck, seconds, ascending; what is struck at once is one."""
    times = np.sort([hit.time for name in _STRUCK for hit in song.drums.heard(name)])
    return times[np.diff(times, prepend=-1.0) > _SAME_SECONDS]
