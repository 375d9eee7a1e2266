import pytest
from helpers import a_project

from epiphane.document.ids import ItemId, LaneId, PulseId
from epiphane.document.lane import Setting
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.cues import (
    nudge_cues,
    override_of,
    reset_cues,
    scale_cues,
    set_cue_strength,
    toggle_cues,
)
from epiphane.edits.keying.lanes import (
    add_lane,
    change_envelope,
    change_lane,
    fire_by,
    move_lane,
    remove_lane,
    reset_setting,
    set_setting,
)
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.sources import pulse_name
from epiphane.edits.shots.cutting import stretch_shot
from epiphane.errors import EditError

FLASH, ZOOM = LaneId(20), LaneId(21)


def test_changing_a_lane_changes_that_lane_alone():
    before = a_project()
    after = change_envelope(change_lane(before, FLASH, depth=0.5), FLASH, rise=7)
    assert (after.lanes[0].depth, after.lanes[0].envelope.rise) == (0.5, 7)
    assert after.lanes[1] is before.lanes[1]
    assert after.song is before.song
    assert before == a_project()


def test_lanes_are_put_in_order():
    project = add_lane(a_project(), "flash", PulseId(6))
    third = project.lanes[2].id
    assert [lane.id for lane in move_lane(project, third, to=0).lanes] == [third, FLASH, ZOOM]
    assert [lane.id for lane in move_lane(project, FLASH, to=99).lanes] == [ZOOM, third, FLASH]
    assert [lane.id for lane in remove_lane(project, ZOOM).lanes] == [FLASH, third]
    assert project.lanes[2].seed != project.lanes[0].seed  # two lanes do not wander alike


def test_a_setting_replaces_the_one_of_its_name():
    project = set_setting(a_project(), FLASH, Setting("opacity", 50.0, 0.0))
    project = set_setting(project, FLASH, Setting("opacity", 60.0, 5.0))
    assert project.lanes[0].settings == (Setting("opacity", 60.0, 5.0),)
    assert reset_setting(project, FLASH, "opacity").lanes[0] == a_project().lanes[0]


def test_a_pulse_from_the_grid_is_made_once():
    project, third = ensure_pulse(a_project(), PulseUnit.BEAT, every=3)
    again, same = ensure_pulse(project, PulseUnit.BEAT, every=3)
    assert (again, same) == (project, third)
    assert project.pulses[-1].name == "every 3rd beat"
    assert fire_by(project, FLASH, third).lanes[0].pulse == third
    names = [pulse_name(PulseUnit.BEAT, n) for n in (1, 2, 11, 21, 22)]
    assert names == ["beats", "every 2nd beat", "every 11th beat", "every 21st beat", "every 22nd beat"]


def test_cues_are_switched_together():
    cues = [(FLASH, 0.5), (FLASH, 1.0)]
    one_off = toggle_cues(a_project(), cues[:1])
    both_off = toggle_cues(one_off, cues)
    assert [override_of(both_off, cue).off for cue in cues] == [True, True]
    assert toggle_cues(both_off, cues) == a_project()  # what says nothing is not kept


def test_overrides_add_up_within_their_limits():
    cue = (ZOOM, 1.5)
    project = scale_cues(set_cue_strength(a_project(), [cue], 1.5), [cue], 0.5)
    assert override_of(project, cue).strength == 0.75
    assert override_of(scale_cues(project, [cue], 100), cue).strength == 2.0
    project = nudge_cues(nudge_cues(project, [cue], -3), [cue], 1)
    assert override_of(project, cue).nudge == -2
    assert override_of(nudge_cues(project, [cue], -999), cue).nudge == -240
    assert project.lanes[0] == a_project().lanes[0]
    assert reset_cues(project, [cue]) == a_project()


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda p: remove_lane(p, LaneId(7)), "there is no lane 7"),
        (lambda p: add_lane(p, "flash", PulseId(7)), "there is no pulse 7"),
        (lambda p: stretch_shot(p, ItemId(7), n_beats=1), "there is no shot 7"),
        (lambda p: change_lane(p, FLASH, depth=1.5), r"lane: .*<= 1.*depth"),
        (lambda p: change_envelope(p, FLASH, rise=-1), r"envelope: .*>= 0.*rise"),
        (lambda p: ensure_pulse(p, PulseUnit.BEAT, every=0), r"N must be 1\.\.64, got 0"),
        (lambda p: ensure_pulse(p, PulseUnit.BEAT, every=2, first=2), r"must be 0\.\.1, got 2"),
    ],
)
def test_what_is_not_there_or_out_of_range_is_refused(edit, words):
    with pytest.raises(EditError, match=words):
        edit(a_project())
