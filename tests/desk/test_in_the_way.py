"""Nothing is in the way: keys that reach one thing, pictures that stay, words that are whole."""

import pytest
from hands import LEFT, NONE, drop, field
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractSpinBox, QCheckBox, QComboBox, QDoubleSpinBox, QLabel, QPushButton

from epiphane.desk.control.drag import carry_footage
from epiphane.desk.control.selection import (
    BeatSelection,
    DressingSelection,
    ExportSelection,
    FillingSelection,
    FootageSelection,
    ItemSelection,
    PartSelection,
    PulseSelection,
    ShotSelection,
    SongSelection,
    TrackSelection,
)
from epiphane.desk.score.layout import Strip
from epiphane.document.lane import Trigger
from epiphane.document.timeline import Shape
from epiphane.edits.frame_shapes import add_shape
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.shots.panels import change_panels
from epiphane.timing import frame_start

UPRIGHT = Shape(720, 1280)
CTRL = Qt.KeyboardModifier.ControlModifier


def words_of(widget):
    """Return what a widget says in one line, and the pixels it has for that; None where it says nothing."""
    if isinstance(widget, QAbstractSpinBox):
        return widget.text(), widget.lineEdit().width() - 4
    if isinstance(widget, QComboBox):
        return widget.currentText(), widget.width() - 30
    if isinstance(widget, QPushButton | QCheckBox) and widget.text():
        return widget.text(), widget.width() - (8 if isinstance(widget, QPushButton) else 22)
    if isinstance(widget, QLabel) and widget.text() and not widget.wordWrap():
        return widget.text(), widget.width()
    return None


def cut_off(bench):
    """Return what of the bench is cut off once it is laid out: words with too little room, or all of it."""
    for _ in range(10):
        QTest.qWait(60)
        found = cut_off_now(bench)
        if not found:
            break
    return found


def cut_off_now(bench):
    kinds = (QAbstractSpinBox, QComboBox, QPushButton, QCheckBox, QLabel)
    found = []
    for widget in (one for kind in kinds for one in bench.findChildren(kind) if one.isVisible()):
        told = words_of(widget)
        if told is not None and widget.fontMetrics().horizontalAdvance(told[0]) > told[1]:
            found.append(told[0])
        if widget.mapTo(bench, QPoint(widget.width(), 0)).x() > bench.width():
            found.append(widget.accessibleName() or "beyond the edge")
    wide = bench._scroll.widget().width()
    return found + [f"{wide} wide"] * (wide > bench._scroll.viewport().width())


def test_no_bench_is_wider_than_its_panel_and_no_word_is_cut(demo):
    editor = demo.editor
    selections = [
        SongSelection(),
        PulseSelection(editor.project.pulses[0].id),
        PartSelection(0),
        BeatSelection(3),
        ShotSelection(editor.project.shots[1].id),
        FootageSelection(editor.project.footage[1].id),
        FillingSelection(),
        DressingSelection(),
        ExportSelection(),
    ]
    wrong = {}
    for selection in selections:
        editor.select(selection)
        wrong[type(selection).__name__] = cut_off(demo.bench)
    demo.lanes.select_all()
    wrong["lanes"] = cut_off(demo.bench)
    for name in ("title", "words", "gradient"):
        demo.overlays.put(name, demo.lanes.usual_target(), None)
        wrong[name] = cut_off(demo.bench)
    editor.select(TrackSelection(editor.project.tracks[0].id))
    wrong["track"] = cut_off(demo.bench)
    for key in ("shake", "letterbox"):
        demo.lanes.add(key)
        lane = editor.selection.lane
        for trigger in Trigger:
            editor.apply(lambda p, lane=lane, trigger=trigger: change_lane(p, lane, trigger=trigger), "way")
            wrong[f"{key}, {trigger.value}"] = cut_off(demo.bench)
    editor.apply(lambda p: add_shape(p, UPRIGHT), "shape")
    editor.select(SongSelection())
    wrong["shapes"] = cut_off(demo.bench)
    assert {where: what for where, what in wrong.items() if what} == {}
    assert demo.isActiveWindow()  # nothing that was made for a page was a window of its own for a moment


def test_keys_and_clicks_do_one_thing_each(demo):
    editor, score = demo.editor, demo.score
    # Enter in the field for a place is not for the button that has the keyboard next: bars a line.
    field(demo.header, QPushButton, "8 bars a line").setFocus()
    QTest.keyClick(demo, Qt.Key.Key_G, CTRL)
    QTest.keyClicks(demo.header._place_field, "5")
    QTest.keyClick(demo.header._place_field, Qt.Key.Key_Return)
    assert editor.playhead_bar == 4
    assert score.bars_per_line == 4
    assert score.hasFocus()

    lane = editor.cues.lanes[0]
    cue = lane.cues[2]
    at = score.point_of(frame_start(cue.frame, editor.project.rate), lane.lane.id)
    QTest.mouseClick(score.paper(), LEFT, NONE, at + QPoint(3, 0))
    assert editor.playhead == cue.frame

    number = field(demo.bench, QDoubleSpinBox, "Strength")
    QTest.mouseDClick(number.lineEdit(), LEFT, NONE, QPoint(8, 8))
    assert number.lineEdit().selectedText() in (number.cleanText(), number.text())


def test_nothing_scrolls_under_the_pointer_and_the_ruler_takes_no_clips(demo):
    editor, score = demo.editor, demo.score
    before = editor.project
    height = score.paper().height()
    stave = next(one for one in score.layout_now().staves if one.top + one.height > height + 10)
    y = min(round(stave.top) + 30, height - 3)
    assert y > stave.top
    QTest.mouseClick(score.paper(), LEFT, NONE, QPoint(400, y))
    assert score.verticalScrollBar().value() == 0
    assert stave.start <= frame_start(editor.playhead, before.rate) < stave.end
    clip = carry_footage([before.footage[0].id])
    drop(score.paper(), clip, QPoint(400, round(score.layout_now().staves[0].top) + 30))
    assert editor.project is before


def test_a_drag_makes_the_rows_of_drums_easy_to_hit(demo):
    score = demo.score
    layout, paper = score.layout_now(), score.paper()
    y = layout.drum_middle(layout.staves[0].top, "snare")
    score._set_taking(True, QPoint(500, round(y)).toPointF())
    taking = score.layout_now()
    assert taking.heights.drum >= 18
    assert taking.locate(500, y).drum.value == "snare"  # the row under the pointer stays there
    assert taking.drum_middle(taking.staves[0].top, "snare") == pytest.approx(y)
    score._set_taking(False)
    assert score.layout_now().heights.drum == layout.heights.drum
    assert paper.isVisible()


def test_the_picture_takes_the_window_and_shapes_are_looked_at_without_a_step_of_undo(demo, qtbot):
    editor = demo.editor
    editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.5), "depth")
    for shape in ((16, 9), (9, 16)):
        if shape == (9, 16):
            editor.apply(lambda p: add_shape(p, UPRIGHT), "shape")
        small = demo.picture.picture_room()
        QTest.keyClick(demo, Qt.Key.Key_W)
        qtbot.waitUntil(lambda: not demo.bench.isVisible())
        QTest.qWait(50)
        large = demo.picture.picture_room()
        assert large.width() * large.height() > 1.2 * small.width() * small.height(), shape
        assert demo.score.height() <= 150
        assert [row.strip for row in demo.score.layout_now().rows][-1] is Strip.FOLD
        QTest.keyClick(demo, Qt.Key.Key_W)
        qtbot.waitUntil(demo.bench.isVisible)
    label, upright = editor.history.undo_label, editor.project.shape
    demo.shapes.show_next()
    assert editor.project.shape != upright
    assert editor.history.undo_label == label
    shown = editor.project.shape
    editor.undo()
    assert editor.project.shape == shown


def test_a_click_on_a_text_in_the_picture_selects_it(demo):
    editor = demo.editor
    editor.go_to(60)
    demo.titles.put()
    title = editor.selection.item
    assert title is not None
    shot = next(one for one in editor.project.shots if one.start <= 60 < one.end)
    for other in (SongSelection(), ShotSelection(shot.id)):
        editor.select(other)
        editor.go_to(70)
        QTest.mouseClick(demo.picture, LEFT, NONE, demo.picture.point_of(0.5, 0.5).toPoint())
        assert editor.selection == ItemSelection(title)
    assert editor.project.tracks[0].name == ""  # it is called by its words


def test_a_split_screen_says_that_its_shot_ends_before_its_panels_come(demo):
    editor = demo.editor
    shot = editor.project.shots[0].id
    editor.select(ShotSelection(shot))
    demo.panels.split_screen()
    bars = next(one.id for one in editor.project.pulses if one.name == "bars")
    told = demo.bench.split_screen.findChildren(QLabel)[0].text
    assert "ends before" not in told()
    editor.apply(lambda p: change_panels(p, shot, pulse=bars), "panels")
    split = editor.project.shots[0]
    inside = [one for one in editor.bars if split.start < one.start * editor.project.rate < split.end]
    assert len(inside) < len(split.content.panels) - 1
    assert "ends before" in told()
