"""What a lane fires on in the real window: cells, rules, what is left told; values from cue to cue."""

import pytest
from hands import type_into
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from epiphane.desk.bench.keying.pick import PickRows
from epiphane.desk.control.drag import carry_effect
from epiphane.desk.look.fields import ChecksButton
from epiphane.document.pick import Pattern
from epiphane.timing import frame_at

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def rows(window, qtbot, monkeypatch):
    """The rows of a new lane on every beat of the demo, unfolded."""
    monkeypatch.setattr(PickRows, "is_open", False)
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    window.lanes.add("shake")
    found = window.bench.lane.pick
    assert not found.fold.isChecked()
    QTest.mouseClick(found.fold, LEFT)
    return found


def pick(window):
    return window.editor.chosen.lane.pick


def n_cues(window):
    return len(window.editor.cues.lane(window.editor.chosen.lane.id).cues)


def field(rows, name):
    kinds = (QDoubleSpinBox, QComboBox)
    return next(one for kind in kinds for one in rows.findChildren(kind) if one.accessibleName() == name)


def choose(rows, name, text):
    box = field(rows, name)
    box.setCurrentText(text)
    box.activated.emit(box.currentIndex())


def check(rows, name, text):
    button = next(one for one in rows.findChildren(ChecksButton) if one.accessibleName() == name)
    menu = button.menu()
    menu.popup(QPoint(0, 0))
    action = next(one for one in menu.actions() if one.text() == text)
    QTest.mouseClick(menu, LEFT, NONE, menu.actionGeometry(action).center())
    assert menu.isVisible()  # for the next of them
    menu.hide()


def cell(rows, number, share=0.5):
    box = rows.cells.box(number)
    return QPoint(round(box.center().x()), round(box.bottom() - share * box.height()))


def test_a_pattern_is_clicked_drawn_over_and_undone(window, rows):
    assert rows.fold.text() == "Takes all 56 hits"
    choose(rows, "Cells of the pattern", "8 cells")
    assert pick(window).pattern == Pattern((1.0, 0, 0, 0, 1.0, 0, 0, 0))
    assert rows.fold.text() == "Takes 28 of 56 hits"
    QTest.mouseClick(rows.cells, LEFT, NONE, cell(rows, 4))
    assert n_cues(window) == 14
    QTest.mousePress(rows.cells, LEFT, NONE, cell(rows, 2))
    for number in (3, 4, 5, 6):
        QTest.mouseMove(rows.cells, cell(rows, number))
    QTest.mouseRelease(rows.cells, LEFT, NONE, cell(rows, 6))
    assert pick(window).pattern.cells == (1.0, 0, 1.0, 1.0, 1.0, 1.0, 1.0, 0)
    assert n_cues(window) == 56
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert pick(window).pattern.cells == (1.0, 0, 0, 0, 0, 0, 0, 0)  # the stroke was one step


def test_the_strength_of_a_cell_by_mouse_and_by_keys(window, rows):
    choose(rows, "Cells of the pattern", "4 cells")
    QTest.mouseClick(rows.cells, LEFT, SHIFT, cell(rows, 1, 0.3))
    assert pick(window).pattern.cells[1] == pytest.approx(0.3, abs=0.03)
    rows.cells.setFocus()
    QTest.keyClick(rows.cells, Qt.Key.Key_Right)
    QTest.keyClick(rows.cells, Qt.Key.Key_Return)
    for _ in range(2):
        QTest.keyClick(rows.cells, Qt.Key.Key_Down)
    assert pick(window).pattern.cells[2] == pytest.approx(0.8)
    choose(rows, "Cells of the pattern", "16 cells")
    assert [pick(window).pattern.cells[n] > 0 for n in (0, 4, 8, 12)] == [True, True, True, False]
    choose(rows, "Cells of the pattern", "no pattern")
    assert pick(window).pattern is None
    assert not rows.cells.isVisible()


def test_rules_are_typed_and_what_is_left_is_told_at_once(window, rows):
    type_into(field(rows, "Take every Nth hit"), "2")
    assert (pick(window).every, n_cues(window)) == (2, 28)
    type_into(field(rows, "From this bar on"), "5")
    type_into(field(rows, "To the end of this bar"), "8")
    assert n_cues(window) == 8
    type_into(field(rows, "The strongest so many of a bar"), "1")
    assert rows.fold.text() == "Takes 4 of 56 hits"
    type_into(field(rows, "By chance, so many of a hundred"), "0")
    assert rows.fold.text() == "Takes none of 56 hits: nothing fires"
    type_into(field(rows, "From this bar on"), "0")
    assert pick(window).start is None
    type_into(field(rows, "By chance, so many of a hundred"), "100")
    sections = window.editor.project.song.sections
    check(rows, "Parts of the song", "B full")
    cues = window.editor.cues.lane(window.editor.chosen.lane.id).cues
    assert cues
    part = next(one for one in sections if one.label == "B full")
    assert all(part.start - 1e-3 <= cue.hit.time < part.end for cue in cues)
    other = next(one.label for one in sections if one.label != "B full")
    check(rows, "Parts of the song", other)  # and another one beside it
    assert set(pick(window).sections) == {"B full", other}
    assert n_cues(window) > len(cues)


def test_a_lane_is_kept_to_some_shots_and_told_when_they_are_gone(window, rows):
    shots = window.editor.project.shots
    button = next(one for one in rows.findChildren(ChecksButton) if "shots" in one.accessibleName())
    button.menu().popup(QPoint(0, 0))
    button.menu().hide()
    check(rows, "Only on some shots", button.menu().actions()[1].text())
    check(rows, "Only on some shots", button.menu().actions()[4].text())
    assert window.editor.chosen.lane.shots == (shots[1].id, shots[4].id)
    assert 0 < n_cues(window) < 56
    window.editor.apply(lambda p: replace(p, shots=()), "no shots")
    assert rows.fold.text() == "The shots it is for are not there any more: nothing fires"


def test_the_cell_under_the_playhead_is_marked(window, rows):
    choose(rows, "Cells of the pattern", "8 cells")
    before = rows.cells.grab().toImage()
    bars = window.editor.bars
    window.editor.go_to(frame_at(bars[3].start + bars[3].duration * 0.65, window.editor.project.rate))
    after = rows.cells.grab().toImage()
    bottom = after.height() - 4
    changed = [x for x in range(after.width()) if before.pixel(x, bottom) != after.pixel(x, bottom)]
    first, playing = rows.cells.box(0), rows.cells.box(5)  # from the one at the start to the one there
    assert first.left() - 1 <= min(changed) <= first.right()
    assert playing.left() <= max(changed) <= playing.right() + 1
    assert not [x for x in changed if first.right() + 1 < x < playing.left() - 1]


def test_one_lane_keeps_off_another_and_changed_cues_wait(window, rows):
    bars = next(pulse for pulse in window.editor.project.pulses if pulse.name == "bars")
    assert window.editor.project.lanes[0].pulse == bars.id
    choose(rows, "Not where another lane fires", "Flash")
    assert n_cues(window) == 56 - 14
    lane = window.editor.chosen.lane
    key = (lane.id, window.editor.cues.lane(lane.id).cues[0].hit.time)
    window.editor.select_cues(frozenset({key}), lane=lane.id)
    QTest.keyClick(window, Qt.Key.Key_X)
    window.lanes.step(-1)
    window.lanes.step(1)
    found = window.bench.lane.pick
    type_into(field(found, "Take every Nth hit"), "64")
    type_into(field(found, "From which hit on"), "3")
    assert found.fold.text() == "Takes 1 of 56 hits · 1 changed cue waits for its hit"
    type_into(field(found, "Take every Nth hit"), "1")
    type_into(field(found, "From which hit on"), "1")
    assert found.fold.text() == "Takes 42 of 56 hits"
    assert window.editor.cues.lane(lane.id).cues[0].is_off


def reach(window):
    return next(one for one in window.editor.chosen.lane.settings if one.name == "reach")


def test_a_value_varies_from_cue_to_cue_until_that_is_put_away(window, rows):
    vary = window.bench.lane.parameters.vary["reach"]
    assert not vary.isVisible()
    QTest.mouseClick(vary.opener, LEFT)
    QTest.keyClicks(vary.then, "1, 4; 0.5")
    QTest.keyClick(vary.then, Qt.Key.Key_Return)
    type_into(vary.wander, "0.3")
    assert (reach(window).peak, reach(window).then, reach(window).wander) == (4, (1.0, 4.0, 0.5), 0.3)
    type_into(field(window.bench.lane, "Reach at the peak"), "3")
    assert (reach(window).peak, reach(window).then) == (3.0, (1.0, 4.0, 0.5))
    vary.then.setFocus()
    vary.then.selectAll()
    QTest.keyClicks(vary.then, "5, much")
    QTest.keyClick(vary.then, Qt.Key.Key_Return)
    assert "“much” is no value of reach: write numbers from 0 to 30" in window.notice.text
    assert reach(window).then == (1.0, 4.0, 0.5)
    QTest.mouseClick(vary.opener, LEFT)
    assert not vary.isVisible()
    assert not reach(window).is_varied


def test_a_hit_may_go_a_step_on_or_switch(window, rows):
    bench = window.bench.lane
    lane = window.editor.chosen.lane
    beats = [cue.frame for cue in window.editor.cues.lane(lane.id).cues]
    choose(bench, "What a hit does", "steps on")
    type_into(field(bench, "Steps until it begins again"), "2")
    found = window.editor.cues.lane(lane.id).levels
    assert found[[beats[n] for n in range(6)]].tolist() == [0.5, 1, 0, 0.5, 1, 0]
    choose(bench, "What a hit does", "switches on or off")
    found = window.editor.cues.lane(lane.id).levels
    assert found[[beats[n + 1] - 3 for n in range(4)]].tolist() == [1, 0, 1, 0]  # before it rises again
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.chosen.lane.trigger.value == "step"


def test_another_effect_on_the_same_hits_and_a_copy(window, rows):
    choose(rows, "Cells of the pattern", "8 cells")
    lane = window.editor.chosen.lane
    key = (lane.id, window.editor.cues.lane(lane.id).cues[1].hit.time)
    window.editor.select_cues(frozenset({key}), lane=lane.id)
    QTest.keyClick(window, Qt.Key.Key_X)
    layout = window.score.layout_now()
    stave = layout.staves[0]
    at = QPointF(40, layout.lane_top(stave, 2) + 5)  # on a cue it would be for that one alone
    data = carry_effect("invert")
    window.score.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE))
    made = window.editor.chosen.lane
    assert [one.effect for one in window.editor.project.lanes] == ["flash", "zoom", "shake", "invert"]
    assert (made.pick, made.pulse) == (pick_of(window, lane.id), lane.pulse)
    ours, theirs = (window.editor.cues.lane(one).cues for one in (made.id, lane.id))
    assert [(cue.frame, cue.is_off) for cue in ours] == [(cue.frame, cue.is_off) for cue in theirs]
    window.lanes.step(-1)
    QTest.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | SHIFT)
    assert [one.effect for one in window.editor.project.lanes[2:]] == ["shake", "shake", "invert"]
    assert window.editor.chosen.lane == window.editor.project.lanes[3]


def pick_of(window, lane_id):
    return next(one for one in window.editor.project.lanes if one.id == lane_id).pick
