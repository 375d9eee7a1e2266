"""Which half-beats are beats, and which beats begin a bar."""

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.spectrum import HARMONY_HOPS_PER_SECOND, HOPS_PER_SECOND, Bands
from epiphane.types import Float32Array, FloatArray, IntArray

HALF_BEATS_PER_BAR = 8

# Where drums play, in half-beats of a 4/4 bar: low drum, then high drum; and how much to believe it.
_PATTERNS = (
    ((1, 0, 0, 0, 1, 0, 0, 0), (0, 0, 1, 0, 0, 0, 1, 0), 1.0),  # backbeat
    ((1, 0, 1, 0, 1, 0, 1, 0), (0, 0, 0.5, 0, 0, 0, 0.5, 0), 1.0),  # four on the floor
    ((1, 0, 0, 0, 0, 0, 0, 0), (0, 0, 0, 0, 1, 0, 0, 0), 1.0),  # half time
    ((1, 0, 1, 0, 1, 0, 1, 0), (0, 1, 0, 1, 0, 1, 0, 1), 0.5),  # skank, blast
)
_CHANGE_OF_PATTERN = 2.0
_LOCAL_HALF_BEATS = 65
# Two beats whose spectra differ by less (1 - cosine) are in the same harmony.
_LEAST_CHANGE = 0.05


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


def gather_evidence(half_beats: FloatArray, rhythm: Bands, harmony: Bands) -> BarEvidence:
    """Return what speaks for beats and bars at each half-beat (times in seconds, ascending)."""
    ranges = ((30, 120), (150, 2000), (5000, 17_000), (30, 17_000))
    hops = np.round(half_beats * HOPS_PER_SECOND - 0.5).astype(np.int64)
    low, middle, top, whole = (
        _greatest_near(_rise(rhythm.between(*edges)), hops, reach=3) for edges in ranges
    )
    beat = 2 * float(np.median(np.diff(half_beats)))
    change = _harmonic_change(harmony.levels, round(beat * HARMONY_HOPS_PER_SECOND))
    harmony_hops = np.round(half_beats * HARMONY_HOPS_PER_SECOND).astype(np.int64)
    return BarEvidence(
        low=_against_surroundings(low),
        high=_against_surroundings(np.sqrt(middle * top)),
        accent=_against_surroundings(whole),
        change=_against_surroundings(_greatest_near(change, harmony_hops, reach=1), floor=_LEAST_CHANGE),
    )


def find_bars(evidence: BarEvidence, *, jump_cost: float) -> IntArray:
    """Return the place of each half-beat in its 4/4 bar, 0 to 7; even places are beats.

    The most likely path (Viterbi) over states of drum pattern and place. Places go on by one; a
    jump costs `jump_cost`, a change of pattern at a bar line little.
    """
    observed = np.stack([_observation(evidence, *pattern) for pattern in _PATTERNS], axis=1)
    n_half_beats, n_patterns, _ = observed.shape
    n_states = n_patterns * HALF_BEATS_PER_BAR
    observed = observed.reshape(n_half_beats, n_states)
    steps = _step_costs(n_patterns, jump_cost)
    score = observed[0].copy()
    score[::HALF_BEATS_PER_BAR] += 1.5  # a song that says little otherwise begins with a whole bar
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
    return states % HALF_BEATS_PER_BAR


def _observation(
    evidence: BarEvidence, low: tuple[float, ...], high: tuple[float, ...], trust: float
) -> FloatArray:
    """Return the score of every place of one pattern at every half-beat."""
    low_weights, high_weights = np.array(low) - np.mean(low), np.array(high) - np.mean(high)
    score = trust * (np.outer(evidence.low, low_weights) + 0.5 * np.outer(evidence.high, high_weights))
    score[:, ::2] += 0.5 * evidence.low[:, None]
    score[:, 0] += 3 * evidence.change + 0.3 * evidence.low + 0.3 * evidence.accent
    return score


def _step_costs(n_patterns: int, jump_cost: float) -> FloatArray:
    places = np.tile(np.arange(HALF_BEATS_PER_BAR), n_patterns)
    patterns = np.repeat(np.arange(n_patterns), HALF_BEATS_PER_BAR)
    goes_on = places[None, :] == (places[:, None] + 1) % HALF_BEATS_PER_BAR
    same = patterns[:, None] == patterns[None, :]
    costs = np.where(goes_on, np.where(same, 0.0, jump_cost), jump_cost)
    at_bar_line = goes_on & ~same & (places[None, :] == 0)
    return np.where(at_bar_line, _CHANGE_OF_PATTERN, costs)


def _rise(levels: Float32Array) -> FloatArray:
    energy = np.sqrt((levels.astype(np.float64) ** 2).sum(axis=1))
    rise = np.zeros_like(energy)
    rise[2:] = np.maximum(0, energy[2:] - energy[:-2])
    return np.asarray(rise)


def _greatest_near(values: FloatArray, hops: IntArray, *, reach: int) -> FloatArray:
    greatest = ndi.maximum_filter1d(values, 2 * reach + 1)
    return np.asarray(greatest[np.clip(hops, 0, len(values) - 1)])


def _against_surroundings(values: FloatArray, *, floor: float = 1e-9) -> FloatArray:
    """Return how far values stand out from what is usual around them; below `floor` nothing does."""
    usual = ndi.uniform_filter1d(values, _LOCAL_HALF_BEATS, mode="nearest")
    scale = np.maximum(usual + 0.1 * values.mean(), floor)
    return np.asarray(np.clip((values - usual) / scale, -1, 2))


def _harmonic_change(levels: Float32Array, n_hops: int) -> FloatArray:
    """Return 1 - cosine between the mean log spectra of one beat before and one beat after."""
    loud = np.percentile(levels.max(axis=1, initial=0), 95) + 1e-9
    log_levels = np.log10(1 + 100 * levels / loud)
    n_hops = max(2, n_hops)
    sums = np.concatenate([np.zeros((1, log_levels.shape[1])), np.cumsum(log_levels, axis=0)])
    here, last = np.arange(len(log_levels)), len(log_levels)
    before = sums[here] - sums[np.maximum(here - n_hops, 0)]
    after = sums[np.minimum(here + n_hops + 1, last)] - sums[np.minimum(here + 1, last)]
    before -= before.mean(axis=1, keepdims=True)
    after -= after.mean(axis=1, keepdims=True)
    norms = np.sqrt((before**2).sum(axis=1) * (after**2).sum(axis=1))
    return np.asarray(1 - (before * after).sum(axis=1) / (norms + 1e-6))
