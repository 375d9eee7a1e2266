"""The bench changes what is selected, one step of undo a gesture, and shows what is there."""

import pytest
from hands import choose, field, type_into
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QColorDialog, QComboBox, QDoubleSpinBox, QPushButton, QWidget

from epiphane.desk.control.selection import LaneSelection, ShotSelection
from epiphane.desk.look.fields import ColourButton, RangeBar
from epiphane.document.envelope import Ease
from epiphane.document.lane import Setting
from epiphane.document.project import with_lanes
from epiphane.document.timeline import cut_of

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def demo(demo):
    lane = demo.editor.project.lanes[0]
    demo.editor.select(LaneSelection(lane.id))
    return demo


def lane_of(window):
    return window.editor.chosen.lane


def test_numbers_are_typed(demo):
    for name, side in (("Rise", "rise"), ("Hold", "hold"), ("Fall", "fall")):
        type_into(field(demo, QDoubleSpinBox, name), "7")
        assert getattr(lane_of(demo).envelope, side) == 7
    type_into(field(demo, QDoubleSpinBox, "Depth"), "40")
    type_into(field(demo, QDoubleSpinBox, "Wander"), "25")
    type_into(field(demo, QDoubleSpinBox, "Seed"), "11")
    lane = lane_of(demo)
    assert (lane.depth, lane.wander, lane.seed) == (0.4, 0.25, 11)
    type_into(field(demo, QDoubleSpinBox, "Strength at the peak"), "55")
    assert lane_of(demo).settings == (Setting("opacity", 55.0, 0.0),)
    assert demo.editor.history.undo_label == "change of opacity"


def test_keys_of_the_window_are_letters_and_digits_in_a_field(demo):
    """A digit typed into a field must not change the lines of the score."""
    spin = field(demo, QDoubleSpinBox, "Rise")
    spin.setFocus()
    spin.selectAll()
    QTest.keyClicks(spin, "12")
    QTest.keyClick(spin, Qt.Key.Key_Return)
    assert lane_of(demo).envelope.rise == 12
    assert demo.score.bars_per_line == 4


def test_fields_step_with_keys_and_leave_the_rest_to_the_window(demo):
    spin = field(demo, QDoubleSpinBox, "Fall")
    before = spin.value()
    spin.setFocus()
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Down):
        QTest.keyClick(spin, key)
    assert lane_of(demo).envelope.fall == before + 1
    QTest.keyClick(spin, Qt.Key.Key_M)
    assert lane_of(demo).is_muted
    QTest.keyClick(spin, Qt.Key.Key_Space)
    assert demo.playback.is_playing
    QTest.keyClick(spin, Qt.Key.Key_Space)
    combo = field(demo, QComboBox, "Blend")
    combo.setFocus()
    QTest.keyClick(combo, Qt.Key.Key_Down)
    assert lane_of(demo).settings == (Setting("blend", "screen"),)


def test_corners_of_the_envelope_are_dragged(demo):
    picture = demo.bench.lane.envelope.picture
    before = demo.editor.project
    for side in ("rise", "hold", "fall"):
        at = picture.corner(side).toPoint()
        n_before = getattr(lane_of(demo).envelope, side)
        QTest.mousePress(picture, LEFT, NONE, at)
        outward = QPoint(-40 if side == "rise" else 40, 0)
        for n in range(1, 9):
            QTest.mouseMove(picture, at + outward * n / 8)
        QTest.mouseRelease(picture, LEFT, NONE, at + outward)
        assert getattr(lane_of(demo).envelope, side) > n_before
    for _ in range(3):
        demo.editor.undo()
    assert demo.editor.project == before


def test_the_envelope_has_keys(demo):
    picture = demo.bench.lane.envelope.picture
    picture.setFocus()
    fall = lane_of(demo).envelope.fall
    QTest.keyClick(picture, Qt.Key.Key_3)
    QTest.keyClick(picture, Qt.Key.Key_Right)
    assert lane_of(demo).envelope.fall == fall + 1
    QTest.keyClick(picture, Qt.Key.Key_1)
    rise = lane_of(demo).envelope.rise
    QTest.keyClick(picture, Qt.Key.Key_Left)
    assert lane_of(demo).envelope.rise == rise + 1
    assert demo.editor.playhead == 0
    assert demo.score.bars_per_line == 4


def test_both_ends_of_a_bar_are_dragged(demo):
    bar = field(demo, RangeBar, "Strength bar")
    for value, target in ((70, 90), (0, 20)):
        start, end = bar.point_of(value).toPoint(), bar.point_of(target).toPoint()
        QTest.mousePress(bar, LEFT, NONE, start)
        for n in range(1, 7):
            QTest.mouseMove(bar, start + (end - start) * n / 6)
        QTest.mouseRelease(bar, LEFT, NONE, end)
    (setting,) = lane_of(demo).settings
    assert (setting.rest, setting.peak) == (pytest.approx(20, abs=1), pytest.approx(90, abs=1))
    demo.editor.undo()
    demo.editor.undo()
    assert lane_of(demo).settings == ()


def test_words_and_colours_are_chosen(demo, monkeypatch):
    choose(field(demo, QComboBox, "Blend"), "overlay")
    choose(field(demo, QComboBox, "Ease of the fall"), "both")
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor("#336699"))
    QTest.mouseClick(field(demo, ColourButton, "Colour"), LEFT)
    lane = lane_of(demo)
    assert lane.settings == (Setting("blend", "overlay"), Setting("colour", "#336699"))
    assert lane.envelope.fall_ease is Ease.BOTH


def test_a_lane_is_fired_by_another_pulse(demo):
    n_cues = {}
    for text in ("off-beats", "bars", "kicks", "beats"):
        choose(field(demo, QComboBox, "Fired by"), text)
        n_cues[text] = len(demo.editor.cues.lane(lane_of(demo).id).cues)
    n_kicks = len(demo.editor.project.song.drums.kick)
    assert n_cues == {"off-beats": 55, "bars": 14, "kicks": n_kicks, "beats": 56}
    type_into(field(demo, QDoubleSpinBox, "Every Nth hit"), "8")
    assert len(demo.editor.cues.lane(lane_of(demo).id).cues) == 7


def test_cues_are_changed_on_their_bench(demo):
    lane = lane_of(demo)
    hit = demo.editor.cues.lane(lane.id).cues[6].hit.time
    demo.editor.select_cues(frozenset({(lane.id, hit)}), lane=lane.id)
    type_into(field(demo, QDoubleSpinBox, "Strength"), "130")
    type_into(field(demo, QDoubleSpinBox, "Nudge"), "-2")
    (cue,) = demo.editor.chosen.cues
    assert (cue.override.strength, cue.override.nudge) == (1.3, -2)
    buttons = {b.text(): b for b in demo.bench.findChildren(QPushButton) if b.isVisible()}
    QTest.mouseClick(buttons["Turn off"], LEFT)
    assert demo.editor.chosen.cues[0].is_off
    assert buttons["Turn off"].text() == "Turn on"
    QTest.mouseClick(buttons["Reset"], LEFT)
    assert demo.editor.chosen.cues[0].override is None


def test_a_shot_is_changed_on_its_bench(demo):
    shot = demo.editor.project.shots[0]
    demo.editor.select(ShotSelection(shot.id))
    type_into(field(demo, QDoubleSpinBox, "Length in beats"), "4")
    assert demo.editor.project.shots[1].start == shot.n_frames // 2
    type_into(field(demo, QDoubleSpinBox, "Starts at"), "1.5")
    assert cut_of(demo.editor.project.shots[0]).source_start == 1.5


def test_undo_is_shown_on_the_bench(demo):
    spin = field(demo, QDoubleSpinBox, "Fall")
    before = spin.value()
    type_into(spin, "33")
    demo.editor.undo()
    assert spin.value() == before


def test_a_lane_of_an_unknown_effect_is_kept_and_said(demo):
    from msgspec.structs import replace

    lane = replace(lane_of(demo), effect="of tomorrow")
    project = with_lanes(demo.editor.project, lanes=(lane,))
    demo.editor.open(project, None)
    demo.editor.select(LaneSelection(lane.id))
    words = [label.text() for label in demo.bench.findChildren(QWidget) if hasattr(label, "text")]
    assert any("does not know the effect “of tomorrow”" in text for text in words if isinstance(text, str))
    assert demo.editor.project.lanes[0].effect == "of tomorrow"
