"""Nearest-neighbour lookup in ascending arrays."""

import bisect
from collections.abc import Sequence
from typing import TypeVar

import numpy as np

from epiphane.types import FloatArray, IntArray

Number = TypeVar("Number", int, float)


def nearest_index(ascending: FloatArray, values: FloatArray) -> IntArray:
    """Return the index of the element nearest to each value; of two as near, that of the lower one.

    Parameters
    ----------
    ascending : float64, shape (n,), n >= 1
    values : float64, shape (m,), in any order

    Returns
    -------
    int64, shape (m,)
    """
    after = np.clip(np.searchsorted(ascending, values), 1, max(len(ascending) - 1, 1))
    before, after = after - 1, np.minimum(after, len(ascending) - 1)
    return np.where(values - ascending[before] <= ascending[after] - values, before, after)


def distance_to_nearest(ascending: FloatArray, values: FloatArray) -> FloatArray:
    """Return how far each value is from the nearest element.

    Parameters
    ----------
    ascending : float64, shape (n,)
    values : float64, shape (m,), in any order

    Returns
    -------
    float64, shape (m,)
        Infinite if there are no elements.
    """
    if len(ascending) == 0:
        return np.full(len(values), np.inf)
    return np.asarray(np.abs(ascending[nearest_index(ascending, values)] - values))


def nearest_of(ascending: Sequence[Number], value: float) -> Number | None:
    """Return the element of an ascending sequence that is nearest to a value, or None where it has none.

    Of two as near it is the lower one.
    """
    index = bisect.bisect_left(ascending, value)
    near = ascending[max(index - 1, 0) : index + 1]
    return min(near, key=lambda one: abs(one - value), default=None)
