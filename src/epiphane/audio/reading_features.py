"""Readings of the followed beats (half, double, shifted ones), and what speaks for each."""

import numpy as np
from msgspec import Struct

from epiphane.audio.subdivision import (
    CHANGE,
    HAT,
    HIGH,
    KICK,
    LOW,
    MIDDLE,
    N_SIGNALS,
    PARTS,
    SNARE,
    Grid,
    at_lags,
    repetition,
)
from epiphane.types import BoolArray, Float32Array, FloatArray, IntArray


class Reading(Struct, frozen=True):
    """A beat every `unit` twelfths of a followed beat, from twelfth `offset` of the grid."""

    unit: int
    offset: int

    @property
    def is_on_followed(self) -> bool:
        """Whether all its beats are followed ones."""
        return self.unit % PARTS == 0 and self.offset % PARTS == 0


_OFFSETS = {
    12: (0, 6, 4, 8, 3, 9),
    6: (0, 3),
    24: (0, 12, 6, 18),
    18: (0, 6, 12),
    8: (0, 4),
    36: (0, 12, 24),
    9: (0, 3, 6),
    16: (0, 4, 8, 12),
    4: (0,),
}
READINGS = tuple(Reading(unit, offset) for unit, offsets in _OFFSETS.items() for offset in offsets)
AS_FOLLOWED = READINGS[0]
BAR_LENGTHS = (4, 3)
"""Beats to the mean bars. Those of five and seven besides brought nothing."""
_USUAL_BPM = 115.0
_FAST_OCTAVES = 0.7
SILENT_SHARE = 0.05
"""Of what begins at loud moments: where less begins, it is silent."""
_LAGS = (1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4, 1, 3 / 2, 2, 3, 4, 5, 6, 7, 8)


def beats_of(grid: Grid, reading: Reading) -> FloatArray:
    """Return the beats of a reading over the whole grid, float64, shape (n_beats,), seconds, ascending."""
    return grid.times[reading.offset :: reading.unit]


def describe_readings(grid: Grid) -> FloatArray:
    """Return what speaks for each of `READINGS`, shape (28, 171).

    Mean signals on the beat, halves, thirds and quarters between, against each other; how alike
    neighbouring beats and bars of two, three and four are; whether a snare follows a kick; tempo; and how
    alike each voice is to itself some beats and some parts of a beat later; how many beats are silent.
    """
    alike = repetition(grid)
    described = np.array([_describe(grid, reading, alike) for reading in READINGS])
    return np.column_stack([described, silent_shares(grid)])


def mean_bars(signals: Float32Array, n_beats: int) -> Float32Array:
    """Return the mean bar of each of `READINGS`, shape (28, n_beats, 96); zeros where there is not one.

    Parameters
    ----------
    signals : float32, shape (n_parts, 8), of a `Grid`
    n_beats : int
        Beats to the bar. Which beat it begins on is chance.

    Returns
    -------
    float32, shape (28, n_beats, 96)
        Twelve parts a beat, all signals of the first part first.
    """
    found = np.zeros((len(READINGS), n_beats, PARTS * N_SIGNALS), np.float32)
    for row, reading in enumerate(READINGS):
        beats = np.arange(reading.offset, len(signals) - reading.unit, reading.unit)
        n_bars = len(beats) // n_beats
        if n_bars:
            inside = np.arange(PARTS) / PARTS * reading.unit
            places = np.round(beats[: n_bars * n_beats, None] + inside).astype(np.int64)
            found[row] = signals[places].reshape(n_bars, n_beats, -1).mean(axis=0)
    return found


def describe_tempi(period: float) -> FloatArray:
    """Return what the tempo of each of `READINGS` is, and which one it is, shape (28, 15).

    Parameters
    ----------
    period : float, seconds
        The usual length of a followed beat.
    """
    units = np.array([reading.unit for reading in READINGS])
    octaves = np.log2(60 / (units / PARTS * period) / _USUAL_BPM)
    fast, slow = np.maximum(0, octaves - _FAST_OCTAVES) ** 2, np.maximum(0, -_FAST_OCTAVES - octaves) ** 2
    is_unit = units[:, None] == np.array(sorted(_OFFSETS))
    is_usual = [[reading == Reading(PARTS, 0), reading == Reading(PARTS, PARTS // 2)] for reading in READINGS]
    return np.column_stack([octaves, octaves**2, fast, slow, is_unit, is_usual]).astype(np.float64)


def _describe(grid: Grid, reading: Reading, alike: FloatArray) -> FloatArray:
    signals, unit, offset = grid.signals, reading.unit, reading.offset
    places = np.arange(offset, len(signals), unit)
    profile = _Profile(signals, places[:-1], unit)
    on, half = profile.at(0), profile.at(1 / 2)
    first_third, second_third = profile.at(1 / 3), profile.at(2 / 3)
    third = (first_third + second_third) / 2
    quarter = (profile.at(1 / 4) + profile.at(3 / 4)) / 2
    beats = signals[places]
    octaves = float(np.log2(60 / (unit / PARTS * grid.period) / _USUAL_BPM))
    return np.concatenate(
        [
            *(on - half, on - third, half - quarter, on, half - third),
            np.abs(first_third - second_third)[:3],
            _likeness_of_neighbours(beats),
            _likeness_of_patterns(signals, places, unit),
            _contrasts(beats),
            [float(unit == other) for other in (4, 6, 8, 9, 12, 16, 18, 24, 36)],
            [
                float(unit == PARTS and offset == 0),
                float(unit == PARTS and offset == 6),
                float(unit == PARTS and offset in (3, 4, 8, 9)),
                float(unit == 6 and offset == 3),
            ],
            _kick_then_snare(signals, places, unit),
            [
                octaves,
                octaves**2,
                max(0.0, octaves - _FAST_OCTAVES) ** 2,
                max(0.0, -_FAST_OCTAVES - octaves) ** 2,
            ],
            [float((third - half)[:4].sum()), float((third - half)[4:7].sum())],
            octaves * np.array([on[KICK], on[SNARE], half[HAT], quarter[HAT], on[HAT]]),
            at_lags(alike, [unit * lag for lag in _LAGS]),
        ]
    )


class _Profile:
    """Mean signals at a share of the way from beat to beat."""

    def __init__(self, signals: Float32Array, places: IntArray, unit: int) -> None:
        self._signals, self._places, self._unit = signals, places, unit

    def at(self, share: float) -> FloatArray:
        places = self._places + round(share * self._unit)
        places = places[places < len(self._signals)]
        return self._signals[places].mean(axis=0, dtype=np.float64) if len(places) else np.zeros(N_SIGNALS)


def _likeness_of_neighbours(beats: Float32Array) -> FloatArray:
    """Return the mean correlation of kick, snare and flux with themselves one to four beats on."""
    return np.array(
        [np.mean([_correlation(beats[:, k], lag) for k in (KICK, SNARE, LOW, MIDDLE)]) for lag in range(1, 5)]
    )


def _correlation(values: Float32Array, lag: int) -> float:
    if len(values) <= lag + 4:
        return 0.0
    before, after = values[:-lag] - values[:-lag].mean(), values[lag:] - values[lag:].mean()
    norm = float(np.sqrt((before**2).sum() * (after**2).sum()))
    return float((before * after).sum()) / norm if norm > 1e-6 else 0.0


def _likeness_of_patterns(signals: Float32Array, places: IntArray, unit: int) -> FloatArray:
    """Return the mean cosine between what happens in a beat and one to four beats on."""
    if len(places) < 6:
        return np.zeros(4)
    inside = places[:-1, None] + np.round(np.arange(6) / 6 * unit).astype(np.int64)
    patterns = signals[np.minimum(inside, len(signals) - 1)][:, :, :CHANGE].reshape(len(inside), -1)
    patterns = patterns - patterns.mean(axis=0)
    norms = np.linalg.norm(patterns, axis=1)
    found = np.zeros(4)
    for lag in range(1, 5):
        if len(patterns) > lag + 3:
            dots = (patterns[:-lag] * patterns[lag:]).sum(axis=1)
            found[lag - 1] = (dots / (norms[:-lag] * norms[lag:] + 1e-6)).mean()
    return found


def _contrasts(beats: Float32Array) -> FloatArray:
    """Return how much one place in two, three and four beats stands out, by harmony, low end and snare."""
    found = []
    for n_beats in (2, 3, 4):
        means = np.array([beats[k::n_beats].mean(axis=0) for k in range(n_beats) if len(beats[k::n_beats])])
        for signal in (CHANGE, LOW, SNARE):
            ordered = np.sort(means[:, signal])[::-1]
            found.append(float(ordered[0] - ordered[1:].mean()) if len(ordered) > 1 else 0.0)
    return np.array(found)


def _kick_then_snare(signals: Float32Array, places: IntArray, unit: int) -> list[float]:
    """Return how often a snare follows a kick a beat on, and a kick half a beat off."""
    if len(places) < 3:
        return [0.0, 0.0]
    kick, snare = signals[places, KICK], signals[places, SNARE]
    between = signals[np.minimum(places + unit // 2, len(signals) - 1), KICK]
    return [float((kick[:-1] * snare[1:]).mean()), float((between * snare).mean())]


def silent_shares(grid: Grid) -> FloatArray:
    """Return for each reading the share of its beats on which nothing begins at all.

    Nobody taps where it is silent if there is a tempo, not slower, that is heard throughout; click tracks
    are silent between their clicks.
    """
    is_silent = _is_silent(grid)
    return np.array([is_silent[reading.offset :: reading.unit].mean() for reading in READINGS])


def _is_silent(grid: Grid) -> BoolArray:
    """Return at which parts of the grid nothing begins."""
    begins = grid.signals[:, LOW : HIGH + 1].sum(axis=1)
    return np.asarray(begins <= SILENT_SHARE * np.percentile(begins, 95))
