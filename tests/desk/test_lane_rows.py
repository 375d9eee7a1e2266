"""Many lanes: chosen together, changed together, in low rows or folded; effects dropped on a single hit."""

import itertools

import numpy as np
import pytest
from hands import drop, field, press, type_into
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDoubleSpinBox

from epiphane.desk.control.drag import carry_effect
from epiphane.desk.control.selection import LaneSelection, LanesSelection
from epiphane.desk.look import theme
from epiphane.desk.look.fields import TextField
from epiphane.desk.look.marks import paint_family
from epiphane.desk.score.layout import LaneRows, ScoreLayout
from epiphane.document.project import pulse_of
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.lanes import add_lane, change_lane
from epiphane.edits.picture import set_size
from epiphane.effects.declare import EFFECTS, Family

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def with_lanes(demo, number):
    keys = [effect.key for effect in EFFECTS.all()]

    def edit(project):
        pulse = project.lanes[0].pulse
        while len(project.lanes) < number:
            project = add_lane(project, keys[len(project.lanes)], pulse)
        return project

    demo.editor.apply(edit, "lanes")
    return demo


def click_name(demo, index, modifiers=NONE):
    layout = demo.score.layout_now()
    y = layout.lane_top(layout.staves[0], index) + layout.lane_height / 2
    QTest.mouseClick(demo.score.viewport(), LEFT, modifiers, QPoint(40, round(y)))


def chosen(demo):
    lanes = [lane.id for lane in demo.editor.project.lanes]
    return sorted(lanes.index(lane) for lane in demo.editor.selection.lanes)


def test_several_lanes_are_chosen_by_clicks_and_by_keys(demo):
    with_lanes(demo, 6)
    click_name(demo, 1)
    click_name(demo, 4, CTRL)
    assert chosen(demo) == [1, 4]
    click_name(demo, 5, SHIFT)
    assert chosen(demo) == [1, 4, 5]
    click_name(demo, 4, CTRL)
    assert chosen(demo) == [1, 5]
    click_name(demo, 2)
    QTest.keyClick(demo, Qt.Key.Key_Down, SHIFT)
    QTest.keyClick(demo, Qt.Key.Key_Down, SHIFT)
    assert chosen(demo) == [2, 3, 4]
    QTest.keyClick(demo, Qt.Key.Key_A, SHIFT)
    assert chosen(demo) == list(range(6))
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    assert chosen(demo) == []


def test_what_is_changed_is_changed_in_all_of_them_in_one_step(demo):
    with_lanes(demo, 6)
    before = demo.editor.project
    click_name(demo, 2)
    click_name(demo, 4, SHIFT)
    assert isinstance(demo.editor.selection, LanesSelection)
    type_into(field(demo.bench, QDoubleSpinBox, "Fall"), "21")
    type_into(field(demo.bench, QDoubleSpinBox, "Depth"), "40")
    press(demo.bench, "Later")
    press(demo.bench, "Later")
    lanes = demo.editor.project.lanes
    assert [lane.envelope.fall for lane in lanes[2:5]] == [21] * 3
    assert [lane.depth for lane in lanes[2:5]] == [0.4] * 3
    assert [lane.envelope.lead for lane in lanes[2:5]] == [-2] * 3
    for old, new in zip((before.lanes[k] for k in (0, 1, 5)), (lanes[k] for k in (0, 1, 5)), strict=True):
        assert old == new
    cue = demo.editor.cues.lanes[3].cues[4]
    assert cue.frame == round(cue.hit.time * 30 - 0.5) + 2 or cue.frame == int(cue.hit.time * 30) + 2
    QTest.keyClick(demo, Qt.Key.Key_M)
    assert [lane.is_muted for lane in demo.editor.project.lanes] == [False, False, True, True, True, False]
    QTest.keyClick(demo, Qt.Key.Key_Up, CTRL | SHIFT)
    order = [lane.effect for lane in demo.editor.project.lanes]
    assert order == [before.lanes[k].effect for k in (0, 2, 3, 4, 1, 5)]
    QTest.keyClick(demo, Qt.Key.Key_Delete)
    assert [lane.effect for lane in demo.editor.project.lanes] == [before.lanes[k].effect for k in (0, 1, 5)]
    for _ in range(7):
        QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert demo.editor.project.lanes == before.lanes


def test_a_lane_has_a_name_of_its_own(demo):
    click_name(demo, 0)
    name = field(demo.bench, TextField, "Name of the lane")
    assert name.text() == "Flash"
    type_into(name, "Flash, hats")
    assert demo.editor.project.lanes[0].name == "Flash, hats"
    name = field(demo.bench, TextField, "Name of the lane")
    name.selectAll()
    QTest.keyClick(name, Qt.Key.Key_Delete)
    QTest.keyClick(name, Qt.Key.Key_Return)
    assert demo.editor.project.lanes[0].name == ""


def n_lines_in_sight(layout, height):
    """Return how many staves are seen whole."""
    return sum(stave.top + stave.height <= height for stave in layout.staves)


def test_fifteen_lanes_over_four_bars_leave_three_lines_in_sight(demo):
    with_lanes(demo, 15)
    demo.resize(1280, 800)
    layout = demo.score.layout_now()
    assert layout.bars_per_line == 4
    assert n_lines_in_sight(layout, demo.score.viewport().height()) >= 3
    assert layout.is_folded
    first = layout.shown_lanes
    # A click into the row of all lanes opens the lane of the cue there, and then the next one.
    cue = demo.editor.cues.lanes[3].cues[1]
    stave = layout.stave_at(cue.hit.time)
    at = QPoint(round(layout.x_at(stave, cue.hit.time)), round(layout.stack_top(stave.top) + 8))
    seen = set()
    for _ in range(4):
        QTest.mouseClick(demo.score.viewport(), LEFT, NONE, at)
        seen.add(demo.editor.selection.lane)
        assert demo.score.layout_now().shown_lanes == (demo.editor.selection.lane,)
    assert len(seen) == 4 or first in seen
    heights = [demo.score.layout_now().staves[0].height]
    for rows in (LaneRows.TALL, LaneRows.LOW, LaneRows.FOLDED):
        QTest.keyClick(demo, Qt.Key.Key_R, SHIFT)
        heights.append(demo.score.layout_now().staves[0].height)
        assert rows.value in demo.notice.text
    assert heights[1] > heights[2] > heights[3] == heights[0]
    for lane in demo.editor.project.lanes:  # a row that is shown never moves the staves
        demo.editor.select(LaneSelection(lane.id))
        assert demo.score.layout_now().staves[1].top == heights[0] + 12 + layout.staves[0].top


@pytest.mark.parametrize("rows", LaneRows)
def test_every_row_is_found_where_it_is_painted(demo, rows):
    with_lanes(demo, 9)
    project = demo.editor.project
    layout = ScoreLayout(project, demo.editor.bars, bars_per_line=4, width=800, rows=rows)
    for stave in layout.staves:
        for index, lane in enumerate(layout.lanes):
            if lane in layout.shown_lanes:
                middle = layout.lane_top(stave, index) + layout.lane_height / 2
                assert layout.locate(300, middle).lane == lane
        for drum in ("hat", "snare", "kick"):
            assert layout.locate(300, layout.drum_middle(stave.top, drum)).drum is PulseUnit(drum)


def drop_effect(demo, key, x, y):
    drop(demo.score.viewport(), carry_effect(key), QPoint(round(x), round(y)))
    return demo.editor.project.lanes


def fired(demo, lane):
    return [cue.hit.time for cue in demo.editor.cues.lane(lane.id).cues]


def test_a_drum_fires_the_effect_that_is_dropped_on_its_row_and_a_single_hit_only_there(demo):
    layout = demo.score.layout_now()
    kicks = demo.editor.project.song.drums.kick
    stave = layout.stave_at(kicks[2].time)
    y = layout.drum_middle(stave.top, "kick")
    lane = drop_effect(demo, "shake", 40, y)[-1]
    assert fired(demo, lane) == [hit.time for hit in kicks]
    assert pulse_of(demo.editor.project, lane).unit is PulseUnit.KICK
    layout = demo.score.layout_now()
    stave = layout.stave_at(kicks[2].time)
    y = layout.drum_middle(stave.top, "kick")
    lane = drop_effect(demo, "blur", layout.x_at(stave, kicks[2].time), y)[-1]
    assert fired(demo, lane) == pytest.approx([kicks[2].time], abs=1e-5)
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert demo.editor.project.lanes[-1].effect == "shake"  # one step


def test_a_cue_takes_an_effect_only_there_and_the_rest_of_its_row_on_all_its_hits(demo):
    layout = demo.score.layout_now()
    stave, first = layout.staves[0], demo.editor.project.lanes[0]
    cue = demo.editor.cues.lanes[0].cues[1]
    y = layout.lane_top(stave, 0) + 9
    lane = drop_effect(demo, "shake", layout.x_at(stave, cue.hit.time), y)[1]
    assert (lane.effect, lane.pulse) == ("shake", first.pulse)
    assert fired(demo, lane) == pytest.approx([cue.hit.time], abs=1e-5)
    assert demo.editor.selection.lane == lane.id
    lane = drop_effect(demo, "blur", 40, y)[1]
    assert fired(demo, lane) == fired(demo, first)


def test_a_beat_takes_an_effect_only_there_and_the_ruler_on_every_beat(demo):
    layout = demo.score.layout_now()
    stave, beats = layout.staves[0], demo.editor.project.song.beats
    y = layout.sound_top(stave.top) - 10
    lane = drop_effect(demo, "shake", layout.x_at(stave, beats[5].time), y)[-1]
    assert fired(demo, lane) == pytest.approx([beats[5].time], abs=1e-5)
    between = (layout.x_at(stave, beats[5].time) + layout.x_at(stave, beats[6].time)) / 2
    lane = drop_effect(demo, "blur", between, y)[-1]
    assert len(fired(demo, lane)) == len(beats)


def test_the_window_is_never_larger_than_its_screen_and_gives_the_picture_what_is_more(demo):
    for width, height in ((1920, 1040), (2560, 1400), (1280, 680), (1100, 600)):
        room = QSize(width, height)
        demo.fit_on(room)
        assert demo.size().boundedTo(room) == demo.size()
    demo.fit_on(QSize(1280, 800))
    small = demo.picture.width()
    demo.fit_on(QSize(2300, 1400))
    assert demo.picture.width() > 1.4 * small


def test_an_upright_film_uses_its_pane_and_leaves_room_for_the_bench(demo, qtbot):
    demo.editor.apply(lambda p: set_size(p, width=1080, height=1920), "upright")
    for height in (800, 640):
        demo.resize(1280, height)
        qtbot.waitUntil(lambda height=height: 0.4 * height < demo.picture.height() < 0.5 * height)
        assert demo.bench.height() > 0.25 * height


def test_names_are_whole_where_there_is_room(demo):
    long = "Flash on every hat but the last"
    demo.editor.apply(lambda p: change_lane(p, p.lanes[0].id, name=long), "name")
    metrics = QFontMetrics(theme.words(9))
    assert (
        demo.lamps.meters._box(0, demo.lamps.meters._n_columns()).width()
        >= metrics.horizontalAdvance(long) + 30
    )


def test_families_are_told_apart_by_their_marks_alone(qapp):
    masks = []
    for family in [*Family, None]:
        image = QImage(11, 11, QImage.Format.Format_Grayscale8)
        image.fill(0)
        painter = QPainter(image)
        paint_family(painter, family, QPointF(5.5, 5.5), 4.5, QColor("white"))
        painter.end()
        masks.append(np.array([[image.pixelColor(x, y).lightnessF() for x in range(11)] for y in range(11)]))
    for one, other in itertools.combinations(masks, 2):
        assert abs(one - other).sum() > 0.2 * max(one.sum(), other.sum())
