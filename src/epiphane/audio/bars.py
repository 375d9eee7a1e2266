"""Beat phase and downbeats: a Viterbi path over drum patterns and places in the bar."""

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.spectrum import HARMONY_HOPS_PER_SECOND, HOPS_PER_SECOND, Bands
from epiphane.audio.subdivision import harmonic_change
from epiphane.types import FloatArray, IntArray


class _Pattern(Struct, frozen=True):
    """Where drums play, in half-beats of one bar: low drum and high drum; and how much to believe it."""

    low: tuple[float, ...]
    high: tuple[float, ...]
    trust: float

    @property
    def n_half_beats(self) -> int:
        return len(self.low)


_PATTERNS = (
    _Pattern((1, 0, 0, 0, 1, 0, 0, 0), (0, 0, 1, 0, 0, 0, 1, 0), 1.0),  # backbeat
    _Pattern((1, 0, 1, 0, 1, 0, 1, 0), (0, 0, 0.5, 0, 0, 0, 0.5, 0), 1.0),  # four on the floor
    _Pattern((1, 0, 0, 0, 0, 0, 0, 0), (0, 0, 0, 0, 1, 0, 0, 0), 1.0),  # half time
    _Pattern((1, 0, 1, 0, 1, 0, 1, 0), (0, 1, 0, 1, 0, 1, 0, 1), 0.5),  # skank, blast
    _Pattern((1, 0, 0, 0, 0, 0), (0, 0, 1, 0, 1, 0), 0.7),  # three
    # Uneven bars are played in many ways: all that is taken for granted is the low drum on the first.
    _Pattern((1, *(0,) * 9), (0,) * 10, 0.7),
    _Pattern((1, *(0,) * 13), (0,) * 14, 0.7),
)
_CHANGE_OF_PATTERN = 2.0
_USUAL_HALF_BEATS = 8
_LOCAL_HALF_BEATS = 65
# Two beats whose spectra differ by less (1 - cosine) are in the same harmony.
_LEAST_CHANGE = 0.05
# High drums sound above this where a file has it, and else in the upper part of what it has.
_HIGH_HZ, _HIGH_SHARE = 5000.0, 0.4


class BarEvidence:
    """What happens at each half-beat, relative to its surroundings, from -1 to 2.

    Attributes
    ----------
    low, high, accent, change : float64, shape (n_half_beats,)
        Low drum, high drum, loudness of everything, and change of harmony.
    """

    def __init__(self, low: FloatArray, high: FloatArray, accent: FloatArray, change: FloatArray) -> None:
        self.low = low
        self.high = high
        self.accent = accent
        self.change = change


def gather_evidence(
    half_beats: FloatArray, rhythm: Bands, harmony: Bands, *, bandwidth: float
) -> BarEvidence:
    """Return what speaks for beats and bars at each half-beat.

    Parameters
    ----------
    half_beats : float64, shape (n_half_beats,), seconds, ascending
    rhythm, harmony : Bands, from `rhythm_bands` and `harmony_bands`
    bandwidth : float, Hz
        The highest frequency of the file.
    """
    high = min(_HIGH_HZ, _HIGH_SHARE * bandwidth)
    ranges = ((30, 120), (150, 2000), (high, 17_000), (30, 17_000))
    hops = np.round(half_beats * HOPS_PER_SECOND - 0.5).astype(np.int64)
    low, middle, top, whole = (
        _greatest_near(_rise(rhythm.loudness(*edges)), hops, reach=3) for edges in ranges
    )
    beat = 2 * float(np.median(np.diff(half_beats)))
    change = harmonic_change(harmony.levels, beat)
    harmony_hops = np.round(half_beats * HARMONY_HOPS_PER_SECOND).astype(np.int64)
    return BarEvidence(
        low=_against_surroundings(low),
        high=_against_surroundings(np.sqrt(middle * top)),
        accent=_against_surroundings(whole),
        change=_against_surroundings(_greatest_near(change, harmony_hops, reach=1), floor=_LEAST_CHANGE),
    )


def find_bars(evidence: BarEvidence, *, jump_cost: float, shift_cost: float = 0.0) -> IntArray:
    """Return the place of each half-beat in its bar, from 0; even places are beats.

    The most likely path (Viterbi) over states of drum pattern and place. Places go on by one; a
    jump costs `jump_cost`, a change of metre twice as much, and a change of pattern within a metre
    little, at a bar line. A jump after which other half-beats are beats costs `shift_cost` more.

    Parameters
    ----------
    evidence : BarEvidence
    jump_cost, shift_cost : float, in units of the evidence

    Returns
    -------
    int64, shape (n_half_beats,)
    """
    observed = np.concatenate([_observation(evidence, pattern) for pattern in _PATTERNS], axis=1)
    n_half_beats, n_states = observed.shape
    places = np.concatenate([np.arange(pattern.n_half_beats) for pattern in _PATTERNS])
    steps = _step_costs(places, jump_cost, shift_cost)
    score = observed[0].copy()
    score[places == 0] += 1.5  # a song that says little otherwise begins with a whole bar
    came_from = np.empty((n_half_beats, n_states), np.int16)
    for index in range(1, n_half_beats):
        options = score[:, None] - steps
        came_from[index] = options.argmax(axis=0)
        score = options.max(axis=0) + observed[index]
    states = np.empty(n_half_beats, np.int64)
    state = int(score.argmax())
    for index in range(n_half_beats - 1, -1, -1):
        states[index] = state
        state = int(came_from[index, state]) if index else state
    return np.asarray(places[states])


def _observation(evidence: BarEvidence, pattern: _Pattern) -> FloatArray:
    """Return the score of every place of a pattern at every half-beat."""
    low_weights = np.array(pattern.low) - np.mean(pattern.low)
    high_weights = np.array(pattern.high) - np.mean(pattern.high)
    drums = np.outer(evidence.low, low_weights) + 0.5 * np.outer(evidence.high, high_weights)
    score = pattern.trust * drums
    score[:, ::2] += 0.5 * evidence.low[:, None]
    # A short bar has more downbeats: a song may not gain by having more of them.
    weight = pattern.n_half_beats / _USUAL_HALF_BEATS
    score[:, 0] += weight * (3 * evidence.change + 0.3 * evidence.low + 0.3 * evidence.accent)
    return score


def _step_costs(places: IntArray, jump_cost: float, shift_cost: float) -> FloatArray:
    """Return what it costs to go from each state to each other one."""
    numbers = np.repeat(np.arange(len(_PATTERNS)), [pattern.n_half_beats for pattern in _PATTERNS])
    lengths = np.array([pattern.n_half_beats for pattern in _PATTERNS])[numbers]
    same_pattern = numbers[:, None] == numbers[None, :]
    same_metre = lengths[:, None] == lengths[None, :]
    goes_on = same_metre & (places[None, :] == (places[:, None] + 1) % lengths[:, None])
    is_shifted = (places[None, :] - places[:, None]) % 2 == 0
    costs = np.where(same_metre, jump_cost, 2 * jump_cost) + np.where(is_shifted, shift_cost, 0.0)
    costs[goes_on & same_pattern] = 0.0
    costs[goes_on & ~same_pattern & (places[None, :] == 0)] = _CHANGE_OF_PATTERN
    return np.asarray(costs, np.float64)


def _rise(loudness: FloatArray) -> FloatArray:
    rise = np.zeros_like(loudness)
    rise[2:] = np.maximum(0, loudness[2:] - loudness[:-2])
    return rise


def _greatest_near(values: FloatArray, hops: IntArray, *, reach: int) -> FloatArray:
    greatest = ndi.maximum_filter1d(values, 2 * reach + 1)
    return np.asarray(greatest[np.clip(hops, 0, len(values) - 1)])


def _against_surroundings(values: FloatArray, *, floor: float = 1e-9) -> FloatArray:
    """Return how far values stand out from what is usual around them; below `floor` nothing does."""
    usual = ndi.uniform_filter1d(values, _LOCAL_HALF_BEATS, mode="nearest")
    scale = np.maximum(usual + 0.1 * values.mean(), floor)
    return np.asarray(np.clip((values - usual) / scale, -1, 2))
