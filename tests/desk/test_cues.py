"""Work on the score, cue by cue: chosen alike, walked, shaped, given values, copied; by mouse and by keys."""

import pytest
from hands import choose, drag, field, press, type_into
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from epiphane.desk.control.selection import LaneSelection, lanes_selected
from epiphane.desk.look.fields import RangeBar
from epiphane.document.envelope import Ease, LengthUnit
from epiphane.document.lane import Trigger
from epiphane.document.pick import Pick
from epiphane.edits.keying.cues import change_cue_envelope, set_cue_effect
from epiphane.edits.keying.lanes import change_envelope, change_lane
from epiphane.render.plan import plan_frame
from epiphane.timing import frame_at

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
BEAT = 60 / 112


@pytest.fixture
def demo(demo):
    """The demo without changes to single cues, its zoom on every beat as the first lane."""
    lane = demo.editor.project.lanes[1]
    demo.editor.apply(
        lambda p: change_lane(change_lane(p, lane.id, overrides=()), p.lanes[0].id, overrides=()), "plain"
    )
    demo.editor.select(LaneSelection(lane.id))
    return demo


def lane_of(window):
    return window.editor.project.lanes[1]


def cues(window):
    return window.editor.cues.lane(lane_of(window).id).cues


def select(window, *numbers):
    lane = lane_of(window).id
    keys = frozenset((lane, cues(window)[number].hit.time) for number in numbers)
    window.editor.select_cues(keys, lane=lane)


def selected(window):
    times = [cue.hit.time for cue in cues(window)]
    return sorted(times.index(time) for _, time in window.editor.selection.cues)


def undo(window):
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)


def test_cues_on_the_same_beat_and_in_the_same_section_are_chosen(demo):
    select(demo, 2)
    QTest.keyClick(demo, Qt.Key.Key_B)
    assert selected(demo) == list(range(2, 56, 4))
    select(demo, 2)
    press(demo, "Same beat")
    assert selected(demo) == list(range(2, 56, 4))
    section = demo.editor.project.song.sections[0]
    select(demo, 2)
    QTest.keyClick(demo, Qt.Key.Key_B, SHIFT)
    inside = [
        n for n, cue in enumerate(cues(demo)) if section.start - 1e-3 <= cue.hit.time < section.end - 1e-3
    ]
    assert selected(demo) == inside


def test_arrows_walk_from_cue_to_cue_and_frames_are_still_to_be_had(demo):
    select(demo, 4)
    QTest.keyClick(demo, Qt.Key.Key_Right)
    assert (selected(demo), demo.editor.playhead) == ([5], cues(demo)[5].frame)
    QTest.keyClick(demo, Qt.Key.Key_Left)
    QTest.keyClick(demo, Qt.Key.Key_Left)
    assert selected(demo) == [3]
    QTest.keyClick(demo, Qt.Key.Key_Greater)
    assert (selected(demo), demo.editor.playhead) == ([3], cues(demo)[3].frame + 1)
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    QTest.keyClick(demo, Qt.Key.Key_Right)
    assert demo.editor.playhead == cues(demo)[3].frame + 2


def test_what_is_typed_is_typed_for_all_that_are_selected(demo):
    before = demo.editor.project
    select(demo, 1, 3, 8)
    QTest.keyClick(demo, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    select(demo, 1, 2, 3)  # the first is nudged already
    QTest.keyClick(demo, Qt.Key.Key_V)
    assert demo.bench.cues.strength.hasFocus()
    QTest.keyClicks(demo.bench.cues.strength, "45")
    QTest.keyClick(demo.bench.cues.strength, Qt.Key.Key_Return)
    type_into(demo.bench.cues.nudge, "-2")
    found = [cues(demo)[n].override for n in (1, 2, 3)]
    assert [(one.strength, one.nudge) for one in found] == [(0.45, -2)] * 3
    assert cues(demo)[8].override.nudge == 1
    for _ in range(3):
        undo(demo)
    assert demo.editor.project == before


def test_a_foot_dragged_with_ctrl_shapes_the_selected_cues_alone(demo):
    QTest.keyClick(demo, Qt.Key.Key_1)
    demo.editor.go_to(cues(demo)[5].frame)
    lane = lane_of(demo)
    select(demo, 5, 6)
    layout, hit = demo.score.layout_now(), cues(demo)[5].hit.time
    frame = layout.pixels_per_second(layout.stave_at(hit), hit) / 30
    end = lane.envelope.hold + lane.envelope.fall
    foot = demo.score.point_of(hit, lane.id) + QPoint(round(end * frame) - 2, 0)
    drag(demo.score.viewport(), foot, foot + QPoint(round(3 * frame), 0), modifier=CTRL)
    assert lane_of(demo).envelope == lane.envelope
    own = [cues(demo)[n].envelope.fall for n in (4, 5, 6, 7)]
    assert own == [8, 11, 11, 8]
    foot += QPoint(round(3 * frame), 0)
    drag(demo.score.viewport(), foot, foot - QPoint(round(5 * frame), 0))  # it has a shape of its own now
    assert [cues(demo)[n].envelope.fall for n in (4, 5, 6)] == [8, 6, 6]
    QTest.keyClick(demo, Qt.Key.Key_R)
    assert lane_of(demo).overrides == ()


def test_a_foot_of_a_shape_in_beats_is_dragged_in_parts_of_a_beat(demo):
    lane = lane_of(demo)
    demo.editor.apply(
        lambda p: change_envelope(p, lane.id, rise=0.125, hold=0, fall=0.5, unit=LengthUnit.BEATS), "beats"
    )
    QTest.keyClick(demo, Qt.Key.Key_1)
    hit = cues(demo)[5].hit.time
    demo.editor.go_to(cues(demo)[5].frame)
    select(demo, 5)
    layout = demo.score.layout_now()
    beat = layout.pixels_per_second(layout.stave_at(hit), hit) * BEAT
    foot = demo.score.point_of(hit, lane.id) + QPoint(round(0.5 * beat) - 2, 0)
    drag(demo.score.viewport(), foot, foot + QPoint(round(0.25 * beat), 0))
    assert lane_of(demo).envelope.fall == 0.75


def test_a_cue_has_a_shape_values_and_an_effect_of_its_own(demo):
    select(demo, 9, 10)
    press(demo, "Own shape")
    assert demo.bench.cues.envelope.isVisible()
    type_into(field(demo, QDoubleSpinBox, "Fall"), "21")
    press(demo, "Own values")
    type_into(field(demo, QDoubleSpinBox, "Scale at the peak"), "160")
    bar = field(demo, RangeBar, "Scale bar")
    drag(bar, bar.point_of(160).toPoint(), bar.point_of(220).toPoint())
    for number in (9, 10):
        override = cues(demo)[number].override
        assert override.envelope.fall == 21
        assert override.settings[0].peak == pytest.approx(220, abs=6)
    plan = plan_frame(demo.editor.project, demo.editor.cues, cues(demo)[10].frame)
    zoom = next(effect for effect in plan.root.effects if effect.key == "zoom")
    own_peak = 100 + (cues(demo)[10].override.settings[0].peak - 100) * cues(demo)[10].strength
    assert dict(zoom.values)["scale"] == pytest.approx(own_peak)
    choose(field(demo, QComboBox, "Effect of this cue"), "Blur")
    assert [override.effect for override in lane_of(demo).overrides] == ["blur", "blur"]
    assert cues(demo)[9].override.settings == ()  # those of the zoom mean nothing to it
    point = QPointF(demo.score.point_of(cues(demo)[9].hit.time, lane_of(demo).id))
    told = demo.score.tip_at(point + QPointF(0, demo.score.verticalScrollBar().value()))
    assert told.endswith("own shape · Blur in this place")
    assert "attack" in told
    plan = plan_frame(demo.editor.project, demo.editor.cues, cues(demo)[9].frame)
    assert "zoom" not in [effect.key for effect in plan.root.effects]
    demo.bench.cues.own_shape.setFocus()
    QTest.keyClick(demo.bench.cues.own_shape, Qt.Key.Key_Return)  # Space plays
    assert cues(demo)[9].override.envelope is None
    QTest.keyClick(demo, Qt.Key.Key_R)
    assert lane_of(demo).overrides == ()


def test_the_first_of_cues_of_two_lanes_is_shown_and_values_only_of_one_effect(demo):
    flash, zoom = (lane.id for lane in demo.editor.project.lanes)
    hit = demo.editor.cues.lane(flash).cues[3].hit.time
    demo.editor.apply(lambda p: change_cue_envelope(p, [(zoom, hit)], fall=3), "shape")
    bench = demo.bench.cues
    for _ in range(3):
        demo.editor.select_cues(frozenset({(zoom, hit), (flash, hit)}), lane=zoom)
        assert not bench.own_shape.isChecked()  # the flash is above
        assert not bench.own_values.isEnabled()
        demo.editor.select_cues(frozenset({(zoom, hit)}), lane=zoom)
        assert bench.own_shape.isChecked()
    press(demo, "Own values")
    assert bench.parameters.isVisible()
    select(demo, 1, 2)
    assert not bench.parameters.isVisible()  # wanted for that cue, not for these
    demo.editor.apply(lambda p: set_cue_effect(p, [(zoom, cues(demo)[2].hit.time)], "blur"), "effect")
    assert not bench.own_values.isEnabled()


def test_bars_are_copied_with_keys_and_what_cannot_be_is_told(demo):
    QTest.keyClick(demo, Qt.Key.Key_V, CTRL)
    assert "nothing is copied" in demo.notice.text.lower()
    select(demo, 17, 18)
    QTest.keyClick(demo, Qt.Key.Key_X)
    select(demo, 16, 19)
    QTest.keyClick(demo, Qt.Key.Key_C, CTRL)
    bar = next(bar for bar in demo.editor.bars if bar.number == 9)
    demo.editor.go_to(frame_at(bar.start + 0.7, demo.editor.project.rate))
    QTest.keyClick(demo, Qt.Key.Key_V, CTRL)
    assert [cue.is_off for cue in cues(demo)[31:37]] == [False, False, True, True, False, False]
    undo(demo)
    assert not any(cue.is_off for cue in cues(demo)[31:37])
    demo.editor.go_to(frame_at(bar.start, demo.editor.project.rate))  # the frame that its line lies in
    QTest.keyClick(demo, Qt.Key.Key_V, CTRL)
    assert [cue.is_off for cue in cues(demo)[31:37]] == [False, False, True, True, False, False]
    demo.editor.open(demo.editor.project, None)
    QTest.keyClick(demo, Qt.Key.Key_V, CTRL)
    assert "nothing is copied" in demo.notice.text.lower()


def test_a_hit_that_is_left_out_is_taken_by_mouse_and_by_keys(demo):
    lane = lane_of(demo)
    demo.editor.apply(lambda p: change_lane(p, lane.id, pick=Pick(every=4)), "pick")
    skipped = demo.editor.cues.lane(lane.id).skipped_hits
    assert len(skipped) == 42
    demo.editor.go_to(0)
    point = demo.score.point_of(skipped[1], lane.id)
    assert "double click takes it" in demo.score.tip_at(
        QPointF(point) + QPointF(0, demo.score.verticalScrollBar().value())
    )
    QTest.mouseDClick(demo.score.viewport(), LEFT, NONE, point)
    assert len(cues(demo)) == 15
    assert selected(demo) == [1]
    demo.editor.go_to(frame_at(skipped[4], demo.editor.project.rate))
    QTest.keyClick(demo, Qt.Key.Key_A)
    assert {skipped[1], skipped[4]} <= {cue.hit.time for cue in cues(demo)}
    QTest.keyClick(demo, Qt.Key.Key_R)
    assert len(cues(demo)) == 15
    demo.editor.go_to(cues(demo)[0].frame)
    QTest.keyClick(demo, Qt.Key.Key_A)
    assert "no hit at the playhead" in demo.notice.text


def test_points_of_a_free_side_are_dragged_put_and_taken_away(demo):
    demo.editor.select(LaneSelection(lane_of(demo).id))
    rows = demo.bench.lane.envelope
    type_into(field(demo, QDoubleSpinBox, "Fall"), "20")
    choose(field(demo, QComboBox, "Ease of the fall"), "free")
    picture = rows.picture
    curve = lane_of(demo).envelope.fall_curve
    assert [point.at for point in curve] == [0.333, 0.667]
    assert curve[0].level == pytest.approx(1 - (1 - (2 / 3) ** 2), abs=0.002)  # as it was
    start = picture.point("fall", 0).toPoint()
    drag(picture, start, start + QPoint(10, 30))
    moved = lane_of(demo).envelope.fall_curve
    assert moved[0].at > curve[0].at
    assert moved[0].level < curve[0].level
    QTest.mouseDClick(picture, LEFT, NONE, (picture.point("fall", 1) + QPointF(45, -20)).toPoint())
    assert len(lane_of(demo).envelope.fall_curve) == 3
    QTest.mouseDClick(picture, LEFT, NONE, picture.point("fall", 2).toPoint())
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_5)
    before = lane_of(demo).envelope.fall_curve[1]
    QTest.keyClick(picture, Qt.Key.Key_Up)
    QTest.keyClick(picture, Qt.Key.Key_Left)
    after = lane_of(demo).envelope.fall_curve[1]
    assert after.level == pytest.approx(min(before.level + 0.05, 1))
    assert after.at == pytest.approx(before.at - 0.05)
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert lane_of(demo).envelope.fall_curve == moved[:1]
    assert lane_of(demo).envelope.fall_ease is Ease.FREE
    choose(field(demo, QComboBox, "Unit of rise, hold and fall"), "beats")
    assert lane_of(demo).envelope.fall == pytest.approx(20 / 30 / BEAT, abs=0.001)
    corner = picture.corner("fall").toPoint()
    drag(picture, corner, corner + QPoint(30, 0))
    assert lane_of(demo).envelope.fall * 16 == int(lane_of(demo).envelope.fall * 16)
    in_beats = lane_of(demo).envelope
    choose(field(demo, QComboBox, "Unit of rise, hold and fall"), "frames")
    undo(demo)
    assert lane_of(demo).envelope == in_beats
    demo.editor.redo()
    assert lane_of(demo).envelope.fall == int(lane_of(demo).envelope.fall)


def test_a_band_is_drawn_from_anywhere_and_no_cue_passes_its_neighbour(demo):
    editor, score, lane = demo.editor, demo.score, lane_of(demo).id
    editor.apply(lambda p: change_envelope(p, lane, rise=20, fall=40), "cues that touch")
    first, last = cues(demo)[2], cues(demo)[5]
    here, there = score.point_of(first.hit.time, lane), score.point_of(last.hit.time, lane)
    drag(score.viewport(), here - QPoint(3, 2), there + QPoint(3, 2), modifier=SHIFT)  # begins on a cue
    assert selected(demo) == [2, 3, 4, 5]
    select(demo, 3)
    frames = [cue.frame for cue in cues(demo)]
    drag(score.viewport(), score.point_of(cues(demo)[3].hit.time, lane), there + QPoint(60, 0))
    assert cues(demo)[3].frame == frames[4] - 1
    for _ in range(3):
        QTest.keyClick(demo, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert cues(demo)[3].frame == frames[4] - 1 and "none passes" in demo.notice.text
    type_into(field(demo, QDoubleSpinBox, "Nudge"), "-200")
    assert cues(demo)[3].frame == frames[2] + 1


def test_what_one_cue_is_is_copied_onto_others_and_onto_all(demo):
    lane = lane_of(demo).id
    select(demo, 3)
    key = next(iter(demo.editor.selection.cues))
    demo.editor.apply(lambda p: set_cue_effect(p, [key], "shake"), "effect")
    demo.editor.apply(lambda p: change_cue_envelope(p, [key], rise=1, fall=17), "shape")
    demo.score.setFocus()
    QTest.keyClick(demo, Qt.Key.Key_C, CTRL | Qt.KeyboardModifier.AltModifier)
    select(demo, 5, 6)
    QTest.keyClick(demo, Qt.Key.Key_V, CTRL | Qt.KeyboardModifier.AltModifier)
    found = demo.editor.cues.lane(lane)
    assert [found.instance_of(cues(demo)[n], 0).effect for n in (4, 5, 6, 7)] == [
        "zoom",
        "shake",
        "shake",
        "zoom",
    ]
    assert cues(demo)[6].envelope.fall == 17
    select(demo, 3)
    press(demo, "All like this")
    found = demo.editor.cues.lane(lane)
    assert {found.instance_of(cue, 0).effect for cue in cues(demo)} == {"shake"}
    name = demo.score.point_of(cues(demo)[3].hit.time, lane)
    QTest.mouseClick(demo.score.viewport(), LEFT, NONE, QPoint(40, name.y()))
    assert demo.editor.selection == LaneSelection(lane)  # its name opens the lane, though a cue was selected


def test_several_lanes_share_a_pulse_a_pick_and_a_place_in_one_step(demo):
    editor = demo.editor
    lanes = [one.id for one in editor.project.lanes]
    editor.select(lanes_selected(lanes, lanes[1]))
    bars = next(one for one in editor.project.pulses if one.name == "bars")
    choose(field(demo, QComboBox, "What fires these lanes"), "bars")
    assert {one.pulse for one in editor.project.lanes} == {bars.id}
    demo.bench.lanes.pick.fold.setChecked(True)
    type_into(field(demo, QDoubleSpinBox, "Take every Nth hit"), "3")
    assert {one.pick.every for one in editor.project.lanes} == {3}
    press(demo, "This part")
    assert len({one.spans for one in editor.project.lanes}) == 1 and editor.project.lanes[0].spans
    undo(demo)
    assert all(one.spans == () for one in editor.project.lanes)  # one step


def test_a_lane_is_copied_to_another_pulse_with_its_bench(demo):
    demo.editor.select(LaneSelection(lane_of(demo).id))
    press(demo, "Copy")
    choose(field(demo, QComboBox, "Fired by"), "kicks")
    first, copy = demo.editor.project.lanes[1:]
    assert copy == replace(first, id=copy.id, pulse=copy.pulse)
    found = demo.editor.cues.lane(copy.id)
    assert [cue.hit for cue in found.cues] == list(demo.editor.project.song.drums.kick)


def test_a_lane_follows_the_band_of_its_pulse(demo):
    demo.lanes.add("zoom")
    lane = demo.editor.chosen.lane.id
    choose(field(demo, QComboBox, "Fired by"), "kicks")
    choose(field(demo, QComboBox, "What a hit does"), "a band is followed")
    followed = demo.editor.cues.lane(lane)
    assert followed.lane.trigger is Trigger.FOLLOW
    assert (followed.lane.follow.low, followed.lane.follow.high) == (40, 120)
    assert 0.9 < followed.levels.max() <= 1.0
    assert 0.1 < (followed.levels > 0.5).mean() < 0.9
    kicks = [frame_at(hit.time, demo.editor.project.rate) for hit in demo.editor.project.song.drums.kick]
    before, on = ([followed.levels[frame + off] for frame in kicks[2:]] for off in (-1, 1))
    assert sum(on) > 1.2 * sum(before)
    assert demo.bench.lane.pick.fold.text() == "Follows 40 to 120 Hz"
    assert not demo.bench.lane.envelope.isVisible()
    type_into(field(demo, QDoubleSpinBox, "At this level it is at its peak"), "3")
    assert "must be below" in demo.notice.text
    type_into(field(demo, QDoubleSpinBox, "Upper edge of the band"), "60")
    assert demo.editor.cues.lane(lane).lane.follow.heard != followed.lane.follow.heard
    type_into(field(demo, QDoubleSpinBox, "How slowly it goes down"), "900")
    assert demo.editor.cues.lane(lane).levels.mean() > followed.levels.mean()
