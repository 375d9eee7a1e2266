"""Effects in the real window: found and moving on the shelf, lanes ordered and silenced, centres dragged."""

import numpy as np
import pytest
from hands import drag
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from epiphane.desk.control.selection import LaneSelection

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def names(window):
    tiles = window.shelf.effects.tiles
    return [tiles.item(n).text() for n in range(tiles.count())]


def lanes(window):
    return [lane.effect for lane in window.editor.project.lanes]


def test_an_effect_is_found_by_what_it_does_and_makes_a_lane(demo):
    QTest.keyClick(demo, Qt.Key.Key_E)
    assert len(names(demo)) > 35
    QTest.keyClick(demo, Qt.Key.Key_F, CTRL)
    QTest.keyClicks(demo.shelf.search, "freezes")
    assert names(demo) == ["Hold"]
    tiles = demo.shelf.effects.tiles
    QTest.mouseClick(tiles.viewport(), LEFT, NONE, tiles.point_of("hold"))
    QTest.keyClick(tiles, Qt.Key.Key_Return)
    assert lanes(demo) == ["flash", "zoom", "hold"]
    assert isinstance(demo.editor.selection, LaneSelection)


def test_an_effect_moves_on_its_tile_while_it_is_pointed_at(demo, qtbot):
    QTest.keyClick(demo, Qt.Key.Key_E)
    seen = []
    demo.effect_mover.drawn.connect(lambda one: seen.append((one.key, one.picture.copy())))
    tiles = demo.shelf.effects.tiles
    qtbot.waitUntil(lambda: tiles.isVisible() and tiles.itemAt(tiles.point_of("blackout")) is not None)
    QTest.mouseMove(tiles.viewport(), tiles.point_of("blackout", 0.6))

    def is_seen_getting_dark_and_bright():
        # A busy machine leaves most frames out, the darkest too, so wait for neither of them.
        brightness = [float(picture.mean()) for _, picture in seen]
        return len(brightness) > 2 and min(brightness) < 0.75 * max(brightness)

    qtbot.waitUntil(is_seen_getting_dark_and_bright, timeout=60_000)
    assert {key for key, _ in seen} == {"blackout"}
    QTest.mouseMove(tiles.viewport(), tiles.point_of("blackout") + QPoint(0, 45))  # onto its name

    def is_at_rest():
        n_seen = len(seen)
        QTest.qWait(300)
        return len(seen) == n_seen

    qtbot.waitUntil(is_at_rest, timeout=20_000)  # what was under way may still come


def test_lanes_are_put_in_order_by_dragging_their_names_and_by_keys(demo):
    for key in ("shake", "blur"):
        demo.lanes.add(key)
    layout = demo.score.layout_now()
    stave = layout.staves[0]

    def at(index):
        return QPoint(40, round(layout.lane_top(stave, index) + layout.lane_height / 2))

    drag(demo.score.viewport(), at(3), at(0))
    assert lanes(demo) == ["blur", "flash", "zoom", "shake"]
    assert demo.editor.chosen.lane.effect == "blur"
    QTest.keyClick(demo, Qt.Key.Key_Down, CTRL | SHIFT)
    assert lanes(demo) == ["flash", "blur", "zoom", "shake"]
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert lanes(demo) == ["flash", "zoom", "shake", "blur"]  # the drag was one step


def test_every_lane_has_a_lamp_with_its_whole_name_which_selects_it(demo):
    one_row = demo.lamps.height()
    for key in ("shake", "split", "blur", "saturation", "kaleidoscope", "scanlines"):
        demo.lanes.add(key)
    assert demo.lamps.height() > one_row
    lamps = demo.lamps.meters
    QTest.mouseClick(lamps, LEFT, NONE, QPoint(round(lamps.width() * 0.3), lamps.height() - 12))
    assert demo.editor.chosen.lane.effect == "saturation"
    # Many of them leave the bench its room: they scroll, and the chosen one is there to be seen.
    for _ in range(20):
        demo.lanes.add("shake")
    QTest.qWait(50)
    assert lamps.height() > demo.lamps.height() + 20 and demo.bench.height() > 250
    for lane in (demo.editor.project.lanes[0], demo.editor.project.lanes[-1]):
        demo.editor.select(LaneSelection(lane.id))
        seen = lamps.visibleRegion().boundingRect()
        assert seen.contains(lamps.box_of_chosen().center().toPoint())


def test_a_solo_lane_fires_alone(demo):
    demo.editor.select(LaneSelection(demo.editor.project.lanes[0].id))
    before = [float(lane.levels.max()) for lane in demo.editor.cues.lanes]
    assert min(before) > 0
    QTest.keyClick(demo, Qt.Key.Key_S)
    assert [float(lane.levels.max()) for lane in demo.editor.cues.lanes] == [before[0], 0.0]
    solo = next(b for b in demo.bench.findChildren(QPushButton) if b.text() == "Solo" and b.isVisible())
    assert solo.isChecked()
    QTest.mouseClick(solo, LEFT)
    assert [float(lane.levels.max()) for lane in demo.editor.cues.lanes] == before


def test_the_centre_of_an_effect_is_dragged_on_the_picture(demo, qtbot):
    zoom = demo.editor.project.lanes[1]
    demo.editor.select(LaneSelection(zoom.id))
    view = demo.picture
    drag(view, view.point_of(0.5, 0.5).toPoint(), view.point_of(0.25, 0.7).toPoint())
    settings = {one.name: one for one in demo.editor.project.lanes[1].settings}
    for name, wanted in (("centre_x", 25), ("centre_y", 70)):
        assert settings[name].peak == pytest.approx(wanted, abs=0.6)
        assert settings[name].rest == settings[name].peak
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert demo.editor.project.lanes[1] == zoom
    demo.editor.select(LaneSelection(demo.editor.project.lanes[0].id))  # a flash has no centre
    drag(view, view.point_of(0.5, 0.5).toPoint(), view.point_of(0.25, 0.7).toPoint())
    assert demo.editor.project.lanes[1] == zoom


def test_while_the_editor_stops_frames_are_prepared_and_told(demo, qtbot, monkeypatch):
    monkeypatch.setattr("epiphane.desk.control.playback._FAR_SECONDS", 10)
    demo.editor.go_to(300)
    qtbot.waitUntil(lambda: len(demo.frames.ready()) > 100, timeout=30_000)
    assert set(range(300, 360)) <= set(demo.frames.ready())
    layout = demo.score.layout_now()
    stave = layout.stave_at(11.0)
    y = round(layout.sound_top(stave.top) - 3) - demo.score.verticalScrollBar().value()

    def line():
        image = demo.score.viewport().grab().toImage()
        row = [image.pixelColor(x, y).lightness() for x in range(100, image.width() - 20)]
        return np.array(row)

    qtbot.waitUntil(lambda: bool((line() > 120).sum() > 60), timeout=5_000)
