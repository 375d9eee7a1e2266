"""Lookups and caches that everything else stands on, against slow oracles."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.arrays import distance_to_nearest, nearest_index
from epiphane.lru import LruCache

times = st.lists(st.integers(0, 60), min_size=1, max_size=20, unique=True).map(sorted)


@given(times, st.lists(st.integers(-5, 65), max_size=20))
def test_the_nearest_is_found_and_of_two_the_lower(ascending, values):
    numbers = nearest_index(np.array(ascending, float), np.array(values, float)).tolist()
    oracle = [min(range(len(ascending)), key=lambda k: (abs(ascending[k] - v), k)) for v in values]
    assert numbers == oracle
    distances = [abs(ascending[k] - v) for k, v in zip(oracle, values, strict=True)]
    assert distance_to_nearest(np.array(ascending, float), np.array(values, float)).tolist() == distances
    assert np.isinf(distance_to_nearest(np.zeros(0), np.array(values, float))).all()


@given(
    st.lists(st.tuples(st.integers(0, 9), st.integers(1, 40)), max_size=60),
    st.integers(0, 100),
)
def test_a_cache_keeps_what_was_used_last_as_far_as_there_is_room(steps, most):
    """Even keys are asked for, odd ones put; the oracle is a list, the one used last at its end."""
    cache = LruCache(most, size_of=lambda value: value)
    oracle = []
    for key, size in steps:
        there = dict(oracle)
        if key % 2 == 0:
            assert cache.get(key + 1) == there.get(key + 1)
            oracle.sort(key=lambda one, key=key: one[0] == key + 1)  # stable: to the end, if it is there
            continue
        oracle = [one for one in oracle if one[0] != key]
        gone = [(key, size)] if size > most else []
        if size <= most:
            oracle.append((key, size))
        while sum(one[1] for one in oracle) > most:
            gone.append(oracle.pop(0))
        assert cache.put(key, size) == gone
        assert len(cache) == len(oracle)
        assert all(one[0] in cache for one in oracle)
    with pytest.raises(TypeError):
        cache.put([], 1)
