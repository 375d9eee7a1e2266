"""Cutting by hand in the real window: every gesture by mouse and by key, each one step of undo."""

import pytest
from hands import drag, drop, field, type_into
from helpers import a_project, some_footage
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from epiphane.desk.control.drag import carry_footage
from epiphane.desk.control.selection import GapSelection, ShotSelection
from epiphane.desk.control.shots import ShotPlace
from epiphane.document.footage import Moment
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.timeline import Between, Pin, Ramp, cut_of
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.speed import curve_of
from epiphane.facts.source_time import running_seconds
from epiphane.timing import frame_start

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
A, B, C = (ItemId(100 + n) for n in range(3))


@pytest.fixture
def score(window, media):
    """The score of eight shots of a bar each, 60 frames, of two clips in turn; a beat is 15 frames."""
    clips = [
        some_footage(n + 1, path=str(media / name)) for n, name in enumerate(("first.mp4", "second.mp4"))
    ]
    clips[1] = replace(clips[1], moments=(Moment(1.0, 0.9),))
    project = fill_song(replace(a_project(n_shots=0, n_lanes=0), footage=clips), lands=False)
    window.editor.open(project, None)
    window.score.setFocus()
    return window.score


def at(score, frame, *, share=0.4):
    """Return the point of a frame in the strip of shots, a share of its height down."""
    layout, seconds = score.layout_now(), frame_start(frame, score._editor.project.rate)
    stave = layout.stave_at(seconds + 1e-6)
    y = layout.shots_top(stave.top) + share * layout.heights.shots
    return QPoint(round(layout.x_at(stave, seconds)), round(y - score._offset))


def places(score):
    return [(shot.start, shot.end) for shot in score._editor.project.shots]


def undone(score):
    """Undo once, and return whether everything is as it was."""
    score._editor.undo()
    return [(60 * n, 60 * n + 60) for n in range(8)] == places(
        score
    ) and score._editor.history.undo_label is None


def test_a_cut_is_rolled_to_the_hit_near_the_pointer_and_shows_both_its_frames(window, score, qtbot):
    pairs = []
    score.trimming.connect(pairs.append)
    drag(score.viewport(), at(score, 60), at(score, 74))
    assert places(score)[:3] == [(0, 75), (75, 120), (120, 180)]  # frame 75 is a beat
    assert (74, 75) in pairs
    assert pairs[-1] is None
    assert undone(score)
    QTest.mousePress(score.viewport(), LEFT, NONE, at(score, 60))
    QTest.mouseMove(score.viewport(), at(score, 80))
    qtbot.waitUntil(lambda: window.picture.has_guest, timeout=5000)
    QTest.keyClick(score, Qt.Key.Key_Escape)
    assert not window.picture.has_guest
    QTest.mouseRelease(score.viewport(), LEFT, NONE, at(score, 80))
    assert (places(score)[0], score._editor.history.undo_label) == ((0, 60), None)
    window.actions_by_id["snapping"].trigger()
    drag(score.viewport(), at(score, 60), at(score, 73))
    assert abs(places(score)[0][1] - 73) <= 1  # a frame is a pixel or three wide
    assert places(score)[0][1] != 75


def test_the_end_of_a_selected_shot_ripples_or_is_trimmed_alone_or_stretches_it(score):
    def pull(modifier):
        score._editor.select(ShotSelection(A))
        start, end = at(score, 60) - QPoint(3, 0), at(score, 45) - QPoint(3, 0)
        drag(score.viewport(), start, end, modifier=modifier)

    pull(NONE)
    assert places(score)[:2] == [(0, 45), (45, 105)]
    assert undone(score)
    pull(CTRL)
    assert places(score)[:2] == [(0, 45), (60, 120)]
    assert undone(score)
    pull(CTRL | SHIFT)
    assert places(score)[:2] == [(0, 45), (45, 105)]
    assert cut_of(score._editor.project.shots[0]).speed == pytest.approx(60 / 45)
    assert undone(score)
    score._editor.select(ShotSelection(B))
    drag(score.viewport(), at(score, 60) + QPoint(3, 0), at(score, 75) + QPoint(3, 0), modifier=CTRL)
    assert places(score)[:2] == [(0, 60), (75, 120)]
    assert undone(score)


def test_trims_act_on_all_selected_shots_and_what_comes_in_is_selected(window, score):
    score._editor.select_shots([A, B])
    start, end = at(score, 60) - QPoint(3, 0), at(score, 50) - QPoint(3, 0)
    window.actions_by_id["snapping"].trigger()
    drag(score.viewport(), start, end)
    lengths = [end - begin for begin, end in places(score)[:3]]
    assert lengths[0] == lengths[1] < 60 == lengths[2]
    assert undone(score)
    score._editor.select_shots([A, B], A)
    score._editor.go_to(15)
    QTest.keyClick(score, Qt.Key.Key_BracketLeft, CTRL)
    assert [end - begin for begin, end in places(score)[:3]] == [45, 45, 60]
    assert undone(score)
    window.shots.lay([score._editor.project.footage[0].id], ShotPlace(frame=120))
    (made,) = score._editor.selection.shots
    assert next(shot for shot in score._editor.project.shots if shot.id == made).start == 120


def test_what_a_shot_shows_is_slipped_and_its_moment_snaps_to_a_hit(score):
    score._editor.select(ShotSelection(B))
    drag(score.viewport(), at(score, 80), at(score, 105))  # its moment was due on frame 79
    shot = score._editor.project.shots[1]
    assert (places(score)[1], shot.pin) == ((60, 120), Pin(1.0, 3.5))
    assert undone(score)
    score._editor.select(ShotSelection(A))  # without a moment it slips freely
    drag(score.viewport(), at(score, 30), at(score, 20))
    assert running_seconds(score._editor.project.shots[0], 0, 30) == pytest.approx(21 / 30, abs=0.04)


def test_a_shot_is_moved_by_its_name_or_slid_between_its_neighbours(score):
    drag(score.viewport(), at(score, 30, share=0.9), at(score, 175, share=0.9))
    assert [shot.id for shot in score._editor.project.shots][:4] == [B, C, A, ItemId(103)]
    assert undone(score)
    drag(score.viewport(), at(score, 90, share=0.9), at(score, 105, share=0.9), modifier=CTRL)
    assert places(score)[:3] == [(0, 75), (75, 135), (135, 180)]
    assert undone(score)


def test_several_shots_are_selected_by_clicks_a_band_a_clip_or_a_section(window, score):
    QTest.mouseClick(score.viewport(), LEFT, NONE, at(score, 30))
    QTest.mouseClick(score.viewport(), LEFT, SHIFT, at(score, 90))
    assert window.editor.selection.shots == {A, B}
    QTest.mouseClick(score.viewport(), LEFT, SHIFT, at(score, 30))
    assert window.editor.selection.shots == {B}
    drag(score.viewport(), at(score, 130), at(score, 230), modifier=SHIFT)
    assert window.editor.selection.shots == {B, C, ItemId(103)}
    window.editor.select(ShotSelection(A))
    window.actions_by_id["same_beat"].trigger()
    assert {shot.footage for shot in window.editor.chosen.shots} == {FootageId(1)}
    assert len(window.editor.selection.shots) == 4
    window.editor.select(ShotSelection(A))
    window.actions_by_id["same_section"].trigger()
    assert window.editor.selection.shots == {ItemId(100 + n) for n in range(4)}
    window.actions_by_id["cues_all"].trigger()
    assert len(window.editor.selection.shots) == 8
    type_into(field(window, QDoubleSpinBox, "Speed"), "50")
    assert {cut_of(shot).speed for shot in window.editor.project.shots} == {0.5}


KEYS = [
    ("split", 75, [(0, 60), (60, 75), (75, 120)]),
    ("roll", 75, [(0, 75), (75, 120)]),
    ("trim_end", 75, [(0, 60), (60, 75), (75, 135)]),
    ("trim_start", 75, [(0, 60), (60, 105), (105, 165)]),
    ("trim_end_alone", 75, [(0, 60), (60, 75), (120, 180)]),
    ("trim_start_alone", 75, [(0, 60), (75, 120), (120, 180)]),
    ("stretch", 75, [(0, 60), (60, 75), (75, 135)]),
    ("delete_closing", 75, [(0, 60), (60, 120)]),
    ("delete_leaving", 75, [(0, 60), (120, 180)]),
    ("delete", 75, [(0, 120), (120, 180)]),
    ("nudge_on", 75, [(0, 61), (61, 121), (121, 180)]),
    ("shot_on", 75, [(0, 75), (75, 135), (135, 180)]),
    ("split_hits", 75, [(0, 60), (60, 75), (75, 90), (90, 105), (105, 120)]),
    ("join", 75, [(0, 60), (60, 180), (180, 240)]),
    ("hold", 75, [(0, 60), (60, 240), (240, 300)]),
    ("copy_lane", 75, [(0, 60), (60, 120), (120, 180)]),
    ("cut", 75, [(0, 60), (60, 120)]),
]


def test_every_edit_has_a_key_and_is_one_step(window, score):
    before = window.editor.project
    for action, playhead, expected in KEYS:
        window.editor.open(before, None)
        window.score.setFocus()
        window.editor.select(ShotSelection(B))
        window.editor.go_to(playhead)
        QTest.keySequence(window, window.actions_by_id[action].shortcut())
        assert places(score)[: len(expected)] == expected, action
        assert undone(score), action


def test_shots_are_copied_pasted_between_or_over_and_swapped(window, score):
    clips = [shot.footage for shot in window.editor.project.shots]
    QTest.mouseClick(score.viewport(), LEFT, NONE, at(score, 90))
    QTest.keySequence(window, window.actions_by_id["copy"].shortcut())
    window.editor.go_to(120)
    QTest.keySequence(window, window.actions_by_id["paste"].shortcut())
    assert [shot.footage for shot in window.editor.project.shots] == [1, 2, 2, 1, 2, 1, 2, 1]
    assert window.editor.chosen.shot.start == 120
    assert "had no place any more" in window.notice.text
    assert undone(score)
    window.editor.go_to(30)
    QTest.keySequence(window, window.actions_by_id["paste_over"].shortcut())
    assert places(score)[:3] == [(0, 30), (30, 90), (90, 120)]
    assert undone(score)
    window.editor.select(ShotSelection(A))
    QTest.keySequence(window, window.actions_by_id["swap"].shortcut())
    assert [shot.footage for shot in window.editor.project.shots][:3] == [clips[1], clips[0], clips[2]]


def test_a_clip_dropped_on_a_cut_is_put_between_on_a_shot_takes_its_place_and_with_ctrl_covers(score):
    data = carry_footage([FootageId(1)])
    drop(score.viewport(), data, at(score, 60))
    assert [shot.footage for shot in score._editor.project.shots][:3] == [1, 1, 2]
    assert undone(score)
    drop(score.viewport(), data, at(score, 90))
    assert [shot.footage for shot in score._editor.project.shots][:3] == [1, 1, 1]
    score._editor.undo()
    drop(score.viewport(), data, at(score, 90), modifier=CTRL)
    assert places(score)[1:4] == [(60, 90), (90, 150), (150, 180)]


def test_a_gap_is_black_is_selected_and_closed(window, score):
    window.editor.select(ShotSelection(B))
    window.actions_by_id["delete_leaving"].trigger()
    QTest.mouseClick(score.viewport(), LEFT, NONE, at(score, 90))
    assert window.editor.selection == GapSelection(60)
    assert window.frames.plan(90).root.content.colour == (0, 0, 0)
    image = score.viewport().grab().toImage()
    assert image.pixelColor(at(score, 70, share=0.25)).name() == "#000000"
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert places(score)[:2] == [(0, 60), (60, 120)]


def test_a_locked_shot_refuses_and_says_so(window, score):
    window.editor.select(ShotSelection(B))
    QTest.keyClick(window, Qt.Key.Key_H)
    window.editor.select(ShotSelection(A))
    window.editor.go_to(30)
    window.actions_by_id["trim_end"].trigger()
    assert places(score)[0] == (0, 60)
    assert "is locked" in window.notice.text


def test_speed_is_shaped_frozen_reversed_and_its_points_are_dragged(window, score, qtbot):
    window.editor.select(ShotSelection(B))
    window.editor.go_to(80)
    QTest.keyClick(window, Qt.Key.Key_U)
    assert cut_of(window.editor.chosen.shot).speed == -1
    QTest.keySequence(window, window.actions_by_id["freeze"].shortcut())
    frozen = [running_seconds(window.editor.chosen.shot, frame, 30) for frame in range(80, 89)]
    assert frozen == pytest.approx([frozen[0]] * 9)
    type_into(field(window, QDoubleSpinBox, "Speed"), "100")
    picture = window.bench.shot.speed.picture
    for share in (0.25, 0.5):
        QTest.mouseDClick(picture, LEFT, NONE, QPoint(round(44 + share * (picture.width() - 56)), 40))
    keys = curve_of(window.editor.chosen.shot)
    assert [key.speed for key in keys] == [1, 1]
    assert keys[1].frame - keys[0].frame == pytest.approx(15, abs=1)
    steps = window.editor.history.undo_label
    drag(picture, picture.place(1).toPoint(), picture.place(1).toPoint() - QPoint(0, 15))
    assert curve_of(window.editor.chosen.shot)[1].speed > 1.2
    QTest.keyClick(picture, Qt.Key.Key_Left)
    assert curve_of(window.editor.chosen.shot)[1].frame == keys[1].frame - 1
    ramp = field(window, QComboBox, "From this point to the next")
    ramp.setCurrentIndex(ramp.findData(Ramp.HOLD.value))
    ramp.activated.emit(ramp.currentIndex())
    assert curve_of(window.editor.chosen.shot)[1].ramp is Ramp.HOLD
    between = field(window, QComboBox, "What is shown between the pictures of a slowed clip")
    between.setCurrentIndex(between.findData("flow"))
    between.activated.emit(between.currentIndex())
    assert cut_of(window.editor.chosen.shot).between is Between.FLOW
    remark = window.bench.shot.speed._remark
    qtbot.waitUntil(lambda: "clean in all 16 places" in remark.text(), timeout=20_000)
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert len(curve_of(window.editor.chosen.shot)) == 1
    window.times.shape("freeze")
    assert [key.speed for key in curve_of(window.editor.chosen.shot)] == [1, 0, 1]
    assert window.editor.history.undo_label != steps


def test_longer_shots_take_what_is_said_and_all_from_here_are_as_long(window, score):
    window.editor.select(ShotSelection(A))
    gives = field(window, QComboBox, "What gives or takes when the length changes")
    length = field(window, QDoubleSpinBox, "Length in beats")
    for key, expected in (("ripple", (90, 150)), ("overwrite", (90, 120)), ("roll", (90, 120))):
        gives.setCurrentIndex(gives.findData(key))
        gives.activated.emit(gives.currentIndex())
        type_into(length, "6")
        assert places(score)[:2] == [(0, 90), expected]
        window.editor.undo()
    type_into(length, "12")
    assert "cannot give" in window.notice.text
    type_into(field(window, QDoubleSpinBox, "Length in frames"), "70")
    assert places(score)[:2] == [(0, 70), (70, 120)]
    window.editor.undo()
    window.editor.select(ShotSelection(B))
    type_into(field(window, QDoubleSpinBox, "First frame"), "50")
    assert places(score)[:3] == [(0, 50), (50, 110), (110, 180)]
    window.editor.undo()
    window.editor.select(ShotSelection(A))
    window.shots.every(2)
    assert places(score) == [(30 * n, 30 * n + 30) for n in range(16)]
