"""Beats of fast uneven bars: where nobody taps units as quick, groups of two and three are the beats."""

from collections.abc import Sequence
from itertools import product

import numpy as np
from msgspec import Struct

from epiphane.arrays import nearest_index
from epiphane.audio.beats_and_bars import strengths_at
from epiphane.audio.metre import Bars
from epiphane.audio.onset import Onsets
from epiphane.audio.subdivision import (
    CHANGE,
    KICK,
    LOW,
    MIDDLE,
    PARTS,
    SNARE,
    Evidence,
    Grid,
    at_lags,
    repetition,
    subdivide,
)
from epiphane.document.song import Beat
from epiphane.types import FloatArray, IntArray

_FASTEST_UNITS = 255.0  # a minute
_FEWEST_BARS, _FEWEST_BEATS = 4, 12
_UNEVEN, _NINE = (5, 7), 9
_WEIGHTS = {KICK: 1.0, LOW: 0.7, CHANGE: 0.5, MIDDLE: 0.4, SNARE: 0.3}
_LEAST_DEVIATION = 0.05
_ALIKE, _LEAST_NINE_LEAD = 0.85, 1.0


class Groups(Struct, frozen=True, eq=False):
    """Groups of two and three units that are the beats of a song.

    Attributes
    ----------
    units, beats : float64, shape (n,), seconds, ascending
    unit_places, places : int64, shape (n,), from 0, the downbeat
    n_units : int, of a bar
    """

    units: FloatArray
    unit_places: IntArray
    beats: FloatArray
    places: IntArray
    n_units: int

    @property
    def tempo(self) -> float:
        """Beats a minute, of any length."""
        seconds = float(self.beats[-1] - self.beats[0])
        return round(60 * (len(self.beats) - 1) / seconds, 3)


def find_groups(evidence: Evidence, beats: FloatArray, bars: Bars) -> Groups | None:
    """Return the groups of a fast uneven bar, or None where the beats are those that people tap.

    Bars of five and seven beats that are too quick to tap, or of as many halves of beats, and bars of three
    beats whose nine thirds are accented as twos and a three. Of all ways to make a bar of groups, that one is
    taken on whose starts more is accented than on the units inside: kicks most of all, then the low end,
    changes of harmony, the middle, and snares.

    Parameters
    ----------
    evidence : Evidence
    beats : float64, shape (n_beats,), seconds, ascending
    bars : Bars, of these beats
    """
    if len(beats) < _FEWEST_BEATS:
        return None
    grid = subdivide(beats, evidence)
    per_beat = _units_per_beat(grid, bars)
    n_units = _NINE if per_beat == 3 else bars.beats_per_bar
    if not per_beat or 60 * per_beat / grid.period <= _FASTEST_UNITS:
        return None
    if len(beats) * per_beat < _FEWEST_BARS * n_units:
        return None
    n = len(beats)
    units = np.interp(np.arange((n - 1) * per_beat + 1) / per_beat, np.arange(n), beats)
    places = (bars.places[:, None] * per_beat + np.arange(per_beat)).ravel()[: len(units)] % n_units
    if np.bincount(places, minlength=n_units).min() == 0:
        return None
    parts = nearest_index(grid.times, units)
    accents = _accents(grid.signals[parts].astype(np.float64), places, n_units)
    starts = max(_groupings(n_units), key=lambda starts: _contrast(accents, starts))
    if n_units == _NINE and _contrast(accents, starts) < _contrast(accents, (0, 3, 6)) + _LEAST_NINE_LEAD:
        return None
    begins = np.isin(places, starts)
    return Groups(units, places, units[begins], np.searchsorted(starts, places[begins]), n_units)


def beats_on_groups(groups: Groups, heard: Sequence[Beat], onsets: Onsets) -> tuple[Beat, ...]:
    """Return the beats of groups, each as sure as the heard beat nearest to it."""
    nearest = nearest_index(np.array([beat.time for beat in heard]), groups.beats)
    strengths = strengths_at(groups.beats, onsets)
    return tuple(
        Beat(round(float(time), 6), int(place) + 1, round(float(strength), 3), heard[number].confidence)
        for time, place, strength, number in zip(groups.beats, groups.places, strengths, nearest, strict=True)
    )


def _units_per_beat(grid: Grid, bars: Bars) -> int:
    """Return how many units of an uneven bar a beat may have; 0 where it cannot be one."""
    if bars.beats_per_bar == 3:
        return 3
    if bars.beats_per_bar not in _UNEVEN:
        return 0
    if 60 / grid.period > _FASTEST_UNITS:
        return 1
    alike = repetition(grid)
    half, whole = (at_lags(alike, [PARTS * bars.beats_per_bar * share]).sum() for share in (1 / 2, 1))
    return 2 if half > _ALIKE * whole else 0  # the bar is two bars: of so many halves of beats each


def _accents(signals: FloatArray, places: IntArray, n_units: int) -> FloatArray:
    """Return how much each place in the bar is accented, shape (n_units,), in deviations."""
    mean = np.array([signals[places == place].mean(axis=0) for place in range(n_units)])
    columns = list(_WEIGHTS)
    return np.asarray(
        (mean[:, columns] / (mean[:, columns].std(axis=0) + _LEAST_DEVIATION)) @ list(_WEIGHTS.values())
    )


def _contrast(accents: FloatArray, starts: tuple[int, ...]) -> float:
    """Return how much more is accented where groups begin within the bar than inside them."""
    inside = np.setdiff1d(np.arange(len(accents)), starts)
    return float(accents[list(starts[1:])].mean() - accents[inside].mean())


def _groupings(n_units: int) -> list[tuple[int, ...]]:
    """Return the first units of groups of two and one three that fill a bar, for each place of the three."""
    lengths = [groups for groups in product((2, 3), repeat=n_units // 2) if sum(groups) == n_units]
    return [(0, *np.cumsum(groups[:-1]).tolist()) for groups in lengths]
