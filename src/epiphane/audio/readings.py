"""The metrical level: which of the tracked beats, half, double or shifted ones people would tap."""

import numpy as np
from msgspec import Struct

from epiphane.audio.network import ReadingRankers
from epiphane.audio.reading_features import (
    BAR_LENGTHS,
    READINGS,
    SILENT_SHARE,
    Reading,
    describe_readings,
    describe_tempi,
    mean_bars,
)
from epiphane.audio.subdivision import HIGH, LOW, MIDDLE, PARTS, Grid
from epiphane.types import BoolArray, FloatArray

_DESCRIBED_SHARE = 0.25  # of what the ranker of descriptors says, beside the networks over the mean bar
_MORE_SILENT, _UNHEARD, _SURE = 0.25, 3.0, 20.0
_SILENT_COLUMN = -1
_SLOWEST_BPM, _FASTEST_BPM = 50.0, 190.0
_HEARD_CLICKS, _CLICKS_STRENGTH, _EVEN = 0.8, 0.8, 0.25
_LONGEST_CYCLE = 7


class Choice(Struct, frozen=True):
    """The chosen reading, and the others from the likeliest on, each with its share of the belief."""

    reading: Reading
    shares: tuple[tuple[Reading, float], ...]


def choose_reading(grid: Grid, rankers: ReadingRankers) -> Choice:
    """Return the reading of the beats that people would tap, with the share of belief of each.

    The likeliest by `rankers`, a softmax over their scores. A metronome's clicks are always beats; a reading
    with far more silent beats than one as quick or quicker must be that much likelier.
    """
    described = describe_readings(grid)
    scores = score_readings(grid, described, rankers)
    scores -= _UNHEARD * _is_unheard(described[:, _SILENT_COLUMN])
    metronome = metronome_reading(grid)
    if metronome is not None:
        scores[READINGS.index(metronome)] = scores.max() + _SURE
    best = int(scores.argmax())
    shares = np.exp(scores - scores.max())
    shares /= shares.sum()
    order = np.argsort(-shares)
    return Choice(READINGS[best], tuple((READINGS[k], float(shares[k])) for k in order))


def score_readings(grid: Grid, described: FloatArray, rankers: ReadingRankers) -> FloatArray:
    """Return how likely each of `READINGS` is, shape (28,), natural log odds against each other.

    Parameters
    ----------
    grid : Grid
    described : float64, from `describe_readings`
    rankers : ReadingRankers
    """
    scores = rankers.described.scores(described)
    if not rankers.by_bars:
        return scores
    bars = {n_beats: mean_bars(grid.signals, n_beats) for n_beats in BAR_LENGTHS}
    tempi = describe_tempi(grid.period)
    by_bars = np.mean([ranker.scores(bars, tempi) for ranker in rankers.by_bars], axis=0)
    return np.asarray(by_bars + _DESCRIBED_SHARE * scores)


def metronome_reading(grid: Grid) -> Reading | None:
    """Return the reading on which all clicks of a metronome are beats, or None if more than clicks is heard.

    By strength, not by count: what is left of a click a little later (a ring, the edge where it was cut)
    is no subdivision. Clicks may come twice a followed beat if all sound alike above the low drums: else
    they are drums. How loud they are must come again bar by bar: else it is one instrument that is played.
    """
    strength = grid.signals[:, LOW : HIGH + 1].sum(axis=1)
    least = SILENT_SHARE * np.percentile(strength, 95)
    for unit in (PARTS, PARTS // 2):
        place = np.arange(len(strength)) % unit
        beside = np.isin(place, (0, 1, unit - 1))  # a soft attack reaches into the next part
        is_tapped = _SLOWEST_BPM < 60 / grid.period * PARTS / unit < _FASTEST_BPM
        is_heard = strength[::unit] > least
        if not is_tapped or is_heard.mean() < _HEARD_CLICKS:
            continue
        upper = grid.signals[::unit, MIDDLE : HIGH + 1].sum(axis=1)[is_heard]
        is_alone = strength[beside].sum() >= _CLICKS_STRENGTH * strength.sum()
        is_even = unit == PARTS or upper.std() < _EVEN * upper.mean()
        if is_alone and is_even and _comes_again(strength[::unit], is_heard):
            return Reading(unit, 0)
    return None


def _comes_again(strength: FloatArray, is_heard: BoolArray) -> bool:
    """Whether the strengths of clicks that are heard are those of one cycle of up to seven, over and over."""
    numbers = np.flatnonzero(is_heard)
    heard = strength[numbers]
    left = []
    for n_clicks in range(1, _LONGEST_CYCLE + 1):
        places = numbers % n_clicks
        means = np.bincount(places, heard) / np.maximum(np.bincount(places), 1)
        left.append(float((heard - means[places]).std()))
    return min(left) < _EVEN * float(heard.mean())


def _is_unheard(silent: FloatArray) -> BoolArray:
    """Return which readings have far more silent beats than one that is as quick or quicker."""
    units = np.array([reading.unit for reading in READINGS])
    least = np.array([silent[units <= unit].min() for unit in units])
    return np.asarray(silent > least + _MORE_SILENT)
