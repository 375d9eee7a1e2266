"""Values that change from cue to cue: in turn, by chance, the same whichever frame is drawn first."""

from itertools import pairwise

import pytest
from helpers import a_project
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.envelope import Envelope
from epiphane.document.ids import LaneId
from epiphane.document.lane import Setting, Trigger
from epiphane.document.pick import Pattern, Pick
from epiphane.document.project import with_lanes
from epiphane.edits.keying.cues import toggle_cues
from epiphane.edits.keying.lanes import change_lane, set_setting
from epiphane.errors import EditError
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame

ZOOM = LaneId(21)
BEAT = 15  # frames


def a_lane(setting, **changes):
    project = with_lanes(a_project(), lanes=a_project().lanes[1:])
    return change_lane(set_setting(project, ZOOM, setting), ZOOM, **changes)


def scales(project, frames):
    cues = schedule(project)
    plans = [plan_frame(project, cues, frame) for frame in frames]
    return [dict(plan.root.effects[0].values)["scale"] if plan.root.effects else 100.0 for plan in plans]


def test_values_go_in_turn_over_the_cues_that_fire():
    project = a_lane(Setting("scale", 120.0, 100.0, then=(80.0, 140.0)))
    hits = [BEAT * n for n in range(8)]
    assert scales(project, hits) == [120, 80, 140, 120, 80, 140, 120, 80]
    off = toggle_cues(project, [(ZOOM, 0.5)])  # the second is off: the third takes its turn
    assert scales(off, hits) == [120, 100, 80, 140, 120, 80, 140, 120]
    picked = change_lane(project, ZOOM, pick=Pick(pattern=Pattern((1.0, 0.0, 1.0, 0.0))))
    assert scales(picked, hits[::2]) == [120, 80, 140, 120]


def test_a_cue_keeps_its_value_from_its_rise_to_the_end_of_its_fall():
    project = a_lane(Setting("scale", 120.0, 100.0, then=(80.0,)), envelope=Envelope(rise=3, fall=5))
    found = scales(project, range(2 * BEAT))
    assert all(value >= 100 for value in found[: BEAT - 3])
    assert all(value <= 100 for value in found[BEAT - 3 : 2 * BEAT - 3])
    assert (max(found), min(found)) == (120, 80)


@given(st.floats(0, 50), st.integers(0, 999), st.randoms())
def test_chance_stays_within_bounds_and_does_not_care_for_the_order_of_drawing(wander, seed, order):
    project = a_lane(Setting("scale", 150.0, 100.0, wander=wander), seed=seed)
    frames = [BEAT * n for n in range(12)]
    found = scales(project, frames)
    assert all(150 - wander - 1e-9 <= value <= 150 + wander + 1e-9 for value in found)
    if wander > 1:
        assert all(one != other for one, other in pairwise(found))
    shuffled = list(frames)
    order.shuffle(shuffled)
    assert dict(zip(shuffled, scales(project, shuffled), strict=True)) == dict(
        zip(frames, found, strict=True)
    )


def test_another_seed_is_another_chance_and_earlier_hits_do_not_matter():
    project = a_lane(Setting("scale", 150.0, 100.0, wander=40.0))
    assert scales(project, [60, 75]) != scales(change_lane(project, ZOOM, seed=9), [60, 75])
    later = change_lane(project, ZOOM, pick=Pick(start=1.9))
    assert scales(project, [60, 75]) == scales(later, [60, 75])


def test_a_setting_out_of_its_range_is_refused():
    with pytest.raises(EditError, match="wander"):
        set_setting(a_project(), ZOOM, Setting("scale", 120.0, wander=-1.0))
    with pytest.raises(EditError, match="then"):
        set_setting(a_project(), ZOOM, Setting("scale", 120.0, then=(1.0,) * 40))


def test_steps_go_through_a_list_and_return():
    setting = Setting("scale", 110.0, 100.0, then=(140.0, 125.0))
    project = a_lane(setting, trigger=Trigger.STEP, n_steps=3, envelope=Envelope(rise=0))
    hits = [BEAT * n for n in range(9)]
    assert scales(project, hits) == [110, 140, 125, 100, 110, 140, 125, 100, 110]
    assert scales(project, [frame + 9 for frame in hits]) == scales(project, hits)
    even = a_lane(Setting("scale", 130.0, 100.0), trigger=Trigger.STEP, n_steps=3, envelope=Envelope(rise=0))
    assert scales(even, hits[:5]) == pytest.approx([110, 120, 130, 100, 110])
