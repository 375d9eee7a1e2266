"""What a bar is counted in, and where a clock jumps."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.song import Beat
from epiphane.facts.metre import n_clock_jumps, time_signature

GROUPS = st.sampled_from([(2, 2, 3), (3, 2, 2), (2, 3), (3, 2), (2, 2, 2, 3)])


def beats_at(lengths, n_per_bar, seed, jumps=()):
    rng = np.random.default_rng(seed)
    times = 0.3 + np.concatenate([[0], np.cumsum(lengths)]) + rng.normal(0, 0.001, len(lengths) + 1)
    for number, jump in jumps:
        times[number:] += jump
    return tuple(Beat(float(time), number % n_per_bar + 1) for number, time in enumerate(times))


@given(GROUPS, st.floats(0.17, 0.24), st.integers(0, 999))
def test_uneven_bars_are_counted_in_their_groups(groups, unit, seed):
    beats = beats_at(np.tile(groups, 8) * unit, len(groups), seed)
    assert time_signature(beats) == "+".join(map(str, groups)) + "/8"
    assert n_clock_jumps(beats) == 0


@given(st.integers(2, 7), st.floats(0.3, 0.9), st.integers(0, 999), st.booleans())
def test_even_bars_are_counted_in_beats_and_jumps_are_those_that_stay(n_beats, beat, seed, has_jumps):
    jumps = [(40, 0.03), (90, -0.05)] if has_jumps else []
    beats = beats_at(np.full(140, beat), n_beats, seed, jumps)
    moved = Beat(beats[60].time + 0.02, beats[60].place)  # one that was moved by hand is no jump
    beats = (*beats[:60], moved, *beats[61:])
    assert time_signature(beats) == f"{n_beats}/4"
    assert n_clock_jumps(beats) == len(jumps)
    assert (time_signature(beats[:5]), n_clock_jumps([])) == (f"{max(b.place for b in beats[:5])}/4", 0)
