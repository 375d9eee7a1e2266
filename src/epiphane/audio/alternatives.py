"""Alternative metrical readings of a song: other tempo octave, phase or bar, with their likelihood."""

from collections.abc import Sequence

import numpy as np

from epiphane.arrays import nearest_index
from epiphane.audio.beat_tracking import Analysis, Followed
from epiphane.audio.beats_and_bars import (
    HeardBeats,
    read_beats,
    strengths_at,
    where_sounding,
)
from epiphane.audio.heard import OtherReading
from epiphane.audio.metre import find_metre
from epiphane.audio.network import Ranker
from epiphane.audio.subdivision import PARTS, Evidence, subdivide
from epiphane.audio.uneven_bars import Groups
from epiphane.document.song import Beat
from epiphane.types import FloatArray, IntArray

_MOST, _LEAST_SHARE = 4, 0.02
_SAME_TEMPO = 0.02
_FEWEST_BEATS = 4
_NO_JUMP = 1e9  # bars of a reading begin on the same beats throughout


def other_readings(
    analysis: Analysis, followed: Followed, heard: HeardBeats, evidence: Evidence, bars: Ranker
) -> tuple[OtherReading, ...]:
    """Return what was nearly chosen, the likeliest first: other beats, or the same beats in other bars."""
    if heard.choice is None or len(heard.beats) < _FEWEST_BEATS:
        return ()
    shares = heard.choice.shares
    grid = subdivide(followed.beats, evidence)
    chosen = subdivide(read_beats(analysis, followed, grid, heard.choice.reading), evidence)
    numbers = nearest_index(chosen.times[::PARTS], heard.beats)
    found = [
        _reading(analysis, heard.beats, (numbers - first) % metre, metre, share * shares[0][1])
        for metre, first, share in heard.bars.shares[1:]
    ]
    for reading, share in shares[1:]:
        if share >= _LEAST_SHARE:
            read = subdivide(read_beats(analysis, followed, grid, reading), evidence)
            best = find_metre(read, bars, jump_cost=_NO_JUMP)
            times, places = where_sounding(analysis, followed, read, best)
            found.append(_reading(analysis, times, places, best.beats_per_bar, share))
    usable = [one for one in found if one.share >= _LEAST_SHARE and len(one.beats) >= _FEWEST_BEATS]
    return tuple(sorted(usable, key=lambda one: -one.share)[:_MOST])


def with_units(
    others: Sequence[OtherReading], groups: Groups, analysis: Analysis, share: float
) -> tuple[OtherReading, ...]:
    """Return the other readings with the units of a fast uneven bar first, in place of any at their tempo."""
    units = _reading(analysis, groups.units, groups.unit_places, groups.n_units, share)
    rest = [one for one in others if abs(one.tempo / units.tempo - 1) > _SAME_TEMPO]
    return (units, *rest)[:_MOST]


def _reading(
    analysis: Analysis, times: FloatArray, places: IntArray, beats_per_bar: int, share: float
) -> OtherReading:
    """Return a reading whose beats are all sure: whoever takes it has decided."""
    strengths = strengths_at(times, analysis.onsets)
    beats = tuple(
        Beat(round(float(time), 6), int(place) + 1, round(float(strength), 3))
        for time, place, strength in zip(times, places, strengths, strict=True)
    )
    tempo = 60 / float(np.median(np.diff(times))) if len(times) > 1 else 0.0
    return OtherReading(beats, round(tempo, 2), beats_per_bar, round(share, 3))
