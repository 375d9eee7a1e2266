"""What cues do beside firing: going a step on, switching on and off, against a frame-by-frame reading."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Trigger
from epiphane.keying.envelope import eased
from epiphane.keying.lane_levels import Firing, active_cues_of, levels_of

N_FRAMES = 200
places = st.lists(st.integers(0, N_FRAMES + 20), max_size=12, unique=True).map(sorted)
sides = st.integers(0, 9)


def a_lane(way, *, n_steps=3, rise=0, fall=0, ease=Ease.LINEAR):
    envelope = Envelope(rise=rise, fall=fall, rise_ease=ease, fall_ease=ease)
    return Lane(LaneId(1), "zoom", PulseId(1), envelope=envelope, trigger=way, n_steps=n_steps)


def levels(lane, frames, strengths=None):
    return levels_of(lane, firing(lane, frames, strengths), N_FRAMES)


def firing(lane, frames, strengths=None):
    strengths = np.ones(len(frames)) if strengths is None else np.array(strengths)
    same = np.zeros(len(frames), np.int64)
    return Firing(np.array(frames, np.int64), strengths, (lane.envelope,), same)


@given(places, st.integers(1, 5), sides, st.sampled_from([Ease.LINEAR, Ease.IN, Ease.BOTH]))
def test_every_cue_takes_the_level_a_step_on_and_the_last_back(frames, n_steps, rise, ease):
    found = levels(a_lane(Trigger.STEP, n_steps=n_steps, rise=rise, ease=ease), frames)
    reached = [0.0, *(((n + 1) % (n_steps + 1)) / n_steps for n in range(len(frames)))]
    for frame in range(N_FRAMES):
        done = sum(one <= frame for one in frames)
        coming = frames[done] if done < len(frames) else None
        last = frames[done - 1] if done else -1
        wanted = reached[done]
        if coming is not None:
            length = min(rise, coming - last - 1)
            share = (frame - (coming - length) + 1) / (length + 1)
            if share > 0:
                wanted += (reached[done + 1] - wanted) * float(eased(np.array(share), ease))
        assert found[frame] == pytest.approx(wanted)


@given(places, sides, sides)
def test_every_other_cue_switches_on_and_those_between_off(frames, rise, fall):
    found = levels(a_lane(Trigger.TOGGLE, rise=rise, fall=fall), frames)
    for number, frame in enumerate(frames):
        if frame < N_FRAMES and number % 2 == 0:
            assert found[frame] == 1.0  # on from its very hit
        end = frames[number + 1] if number + 1 < len(frames) else N_FRAMES
        between = found[min(frame, N_FRAMES) : min(end, N_FRAMES)]
        if number % 2 == 0:
            assert (between == 1.0).all()
        else:
            quiet = between[1 + fall : max(0, len(between) - rise)]
            assert (quiet == 0.0).all()
    before = found[: max(0, (frames[0] if frames else N_FRAMES) - rise)]
    assert (before == 0.0).all()


@given(places, st.sampled_from([Trigger.FIRE, Trigger.STEP, Trigger.TOGGLE]), sides, sides)
def test_a_cue_counts_while_it_has_something_to_say(frames, way, rise, fall):
    lane = a_lane(way, rise=rise, fall=fall)
    active = active_cues_of(lane, firing(lane, frames), N_FRAMES)
    found = levels(lane, frames)
    assert ((active.cues >= 0) | (found == 0)).all()  # a level comes from some cue
    for number, frame in enumerate(frames):
        if frame < N_FRAMES and (way is not Trigger.TOGGLE or number % 2 == 0):
            assert active.cues[frame] == number
    assert active.turns.tolist() == [n // 2 if way is Trigger.TOGGLE else n for n in range(len(frames))]


def test_of_cues_that_are_as_strong_the_newer_counts():
    lane = Lane(LaneId(1), "zoom", PulseId(1), envelope=Envelope(rise=0, hold=30, fall=0))
    assert active_cues_of(lane, firing(lane, [10, 20]), N_FRAMES).cues[[9, 10, 19, 20, 39]].tolist() == [
        -1,
        0,
        0,
        1,
        1,
    ]
    weaker = active_cues_of(lane, firing(lane, [10, 20], [1.0, 0.9]), N_FRAMES)
    assert weaker.cues[[25, 45]].tolist() == [0, 1]  # the stronger one while it lasts


def test_strengths_scale_steps_and_what_is_on():
    assert levels(a_lane(Trigger.STEP, n_steps=2), [10, 20, 30], [0.5, 0.5, 1.0])[[10, 20, 30]].tolist() == [
        0.25,
        0.5,
        0,
    ]
    assert levels(a_lane(Trigger.TOGGLE), [10, 20, 30], [0.4, 1.0, 2.0])[[12, 25, 35]].tolist() == [
        0.4,
        0,
        2.0,
    ]
    assert levels(a_lane(Trigger.TOGGLE), []).max() == levels(a_lane(Trigger.STEP), []).max() == 0
