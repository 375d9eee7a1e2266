"""Detection thresholds of drums, chosen song by song, and the confidence of the outcome.

On kits that nothing was learned from, all snares of a song may be less likely than in another song, though
their order is right: one threshold for all songs loses them. So a ranker chooses among thresholds by what
each would leave, held to the F measure that is to be expected of it.
"""

import numpy as np
from msgspec import Struct

from epiphane.arrays import distance_to_nearest
from epiphane.audio.network import Network, Ranker, sigmoid
from epiphane.types import FloatArray

THRESHOLDS = np.array([*np.arange(0.08, 0.9, 0.06), 1.1])
"""The thresholds to choose from; the last one leaves nothing."""
N_INPUTS = 22
_EXPECTED = 7
"""Which of the inputs is the F measure to be expected."""
_EXPECTED_WEIGHT = 20.0
"""Nats by which a threshold loses for an F measure to be expected that is lower by one."""
_LOWEST, _HIGHEST = 0.13, 0.6
_MOST_DOUBT, _LEAST_EXPECTED, _LEAST_BELIEF = 0.5, 0.3, -12.0
_NEAR_SECONDS = 0.04
_CLOSE = 0.1


class Chosen(Struct, frozen=True):
    """A threshold for one drum of a song, and how sure it is that most of what it leaves is right, 0 to 1."""

    threshold: float
    confidence: float


def choose_threshold(described: FloatArray, ranker: Ranker, confidence: Network) -> Chosen:
    """Return the threshold for a drum that is likely the best, and how sure it is.

    That is the one for which the ranker's belief and the F measure to be expected speak together; none of the
    lowest and highest. The drum is not there at all where the ranker rather believes that, or where no
    threshold would leave much that is right.

    Parameters
    ----------
    described : float64, shape (15, `N_INPUTS`), from `describe_thresholds`
    ranker : Ranker
        Scores the thresholds.
    confidence : Network
        Gives the logit that most hits left by the chosen one are right; not asked where it leaves nothing.
    """
    best = _best(ranker.scores(described), described[:, _EXPECTED])
    sure = float(sigmoid(confidence.logits(described[best : best + 1]))[0, 0])
    return Chosen(float(THRESHOLDS[best]), sure if best < len(THRESHOLDS) - 1 else 0.0)


def _best(scores: FloatArray, expected: FloatArray) -> int:
    """Return the number of the best threshold by the ranker's scores and the F measures to be expected."""
    belief = scores - np.logaddexp.reduce(scores)
    none = len(THRESHOLDS) - 1
    if belief[none] > np.log(_MOST_DOUBT) or expected[:none].max() < _LEAST_EXPECTED:
        return none
    together = np.maximum(belief, _LEAST_BELIEF) + _EXPECTED_WEIGHT * expected
    return int(np.where((THRESHOLDS < _LOWEST) | (THRESHOLDS > _HIGHEST), -np.inf, together).argmax())


def describe_thresholds(
    times: FloatArray, likely: FloatArray, playing: float, bar: float, duration: float
) -> FloatArray:
    """Return what each of `THRESHOLDS` would leave of a drum, shape (15, `N_INPUTS`).

    How many hits, how likely they are, how far apart from what is left out, what F measure to expect if the
    likelihoods are true, and how many hits have another one a bar before or after.

    Parameters
    ----------
    times, likely : float64, shape (n_strokes,)
        Seconds, ascending, and likelihoods of the drum.
    playing : float, 0 to 1
        The share of the song in which drums play.
    bar : float, seconds
        The usual length of a bar; 0 where there is none.
    duration : float, seconds
    """
    ordered = np.sort(likely)[::-1] if len(likely) else np.zeros(1)
    top, many = (
        float(ordered[: max(1, len(ordered) // 50)].mean()),
        float(ordered[: len(ordered) // 10 + 1].mean()),
    )
    total = float(likely.sum())
    rows = []
    for threshold in THRESHOLDS:
        left = likely > threshold
        n_left, is_none = int(left.sum()), threshold > 1
        mean = float(likely[left].mean()) if n_left else 0.0
        below = likely[~left & (likely > _CLOSE)]
        rate = np.log1p(60 * n_left / duration) / 5
        again = _share_again(times[left], bar) if n_left > 1 and bar > 0 else 0.0
        ambiguous = float((np.abs(likely - threshold) < _CLOSE).sum()) / max(n_left, 1)
        expected = float(likely[left].sum()) / max(0.5 * (n_left + total), 1e-6)
        split = (mean - float(below.mean() if len(below) else 0.0)) if n_left else 0.0
        place = 0.0 if is_none else float(threshold)
        rows.append(
            [
                *(place, place**2, float(is_none), rate, mean, again, min(ambiguous, 3.0), expected, split),
                *(place * top, place * many, place * playing, place * rate, place * again),
                *(rate * mean, rate * again, mean * again, rate * playing),
                *(is_none * top, is_none * many, is_none * playing, top),
            ]
        )
    return np.array(rows)


def _share_again(times: FloatArray, bar: float) -> float:
    """Return the share of times that come again a bar later or came a bar before."""
    found = np.zeros(len(times), bool)
    for wanted in (times + bar, times - bar):
        found |= distance_to_nearest(times, wanted) < _NEAR_SECONDS
    return float(found.mean())
