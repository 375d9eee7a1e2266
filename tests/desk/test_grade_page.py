"""The page of a grade in the real window: wheels, curves, files of looks, scopes, comparing, matching."""

import numpy as np
import pytest
from hands import drag, drop, field, middle, press, type_into
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QFileDialog, QPushButton

from epiphane.desk.bench.keying.hue_disc import HueDisc
from epiphane.desk.bench.keying.level_curve import LevelCurve
from epiphane.desk.bench.keying.look_tiles import LookTiles
from epiphane.desk.control.selection import SongSelection
from epiphane.desk.picture.scopes import Scope
from epiphane.document.lane import Setting
from epiphane.effects.declare import EFFECTS
from epiphane.render.matching import Neutral

LEFT, NONE, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def values(window, level=1.0):
    lane = window.editor.chosen.lane
    return dict(EFFECTS.named(lane.effect).values_at(lane.settings, level))


def unfold(window, title):
    head = window.bench.lane.parameters.sections[title]
    if not head.isChecked():
        QTest.mouseClick(head, LEFT)
    return head


@pytest.fixture
def graded(demo, qtbot):
    """The demo with a grade over the film, selected, and its picture shown."""
    demo.editor.go_to(200)
    demo.lanes.add("grade")
    qtbot.waitUntil(lambda: demo.shown.picture is not None, timeout=30_000)
    return demo


def settled(window, qtbot):
    """Wait until the picture under the playhead is drawn as the project is now; return it."""
    frame = window.editor.playhead
    qtbot.waitUntil(lambda: frame in window.frames.ready(), timeout=30_000)
    qtbot.wait(120)
    return window.shown.picture


def test_a_wheel_is_dragged_stepped_and_emptied_in_one_step_of_undo_each(graded):
    unfold(graded, "Shadows, midtones, highlights")
    disc = graded.bench.lane.parameters.wheels["midtones"]
    assert isinstance(disc, HueDisc) and disc.isVisible()
    centre, before = disc.rect().center(), graded.editor.project
    drag(disc, centre, centre + QPoint(0, 30))  # red is at the top
    hue = values(graded)["midtones_hue"]
    assert hue == pytest.approx(180, abs=3)
    amount = values(graded)["midtones_colour"]
    assert 50 < amount < 90 and values(graded, 0.0)["midtones_colour"] == 0
    QTest.keyClick(disc, Qt.Key.Key_Right)
    assert values(graded)["midtones_hue"] == pytest.approx(hue + 3)
    graded.editor.undo()
    graded.editor.undo()
    assert graded.editor.project == before
    graded.editor.redo()
    QTest.mouseDClick(disc, LEFT, NONE, centre + QPoint(0, 30))
    assert values(graded)["midtones_colour"] == 0


def test_a_curve_is_bent_by_mouse_and_keys_and_straightened(graded, qtbot):
    unfold(graded, "Curves")
    curve = graded.bench.lane.parameters.curves.curve
    assert isinstance(curve, LevelCurve)
    plain = settled(graded, qtbot).copy()
    QTest.mouseDClick(curve, LEFT, NONE, middle(curve))
    drag(curve, middle(curve), middle(curve) - QPoint(0, curve.height() // 5))
    (_, first), (across, up), (_, last) = curve.points
    assert (first, last) == (0, 1) and across == pytest.approx(0.5, abs=0.03) and up > 0.65
    assert values(graded)["luma_curve"].count(" ") == 2
    assert settled(graded, qtbot).mean() > plain.mean() + 8
    assert "•" in graded.bench.lane.parameters.sections["Curves"].text()
    QTest.keyClick(curve, "2")
    QTest.keyClick(curve, Qt.Key.Key_Down)
    assert curve.points[1][1] == pytest.approx(up - 0.01, abs=1e-6)
    press(graded.bench.lane, "Straighten")
    assert values(graded)["luma_curve"] == "" and len(curve.points) == 2


def test_sections_stay_as_they_were_folded(graded):
    head = unfold(graded, "Saturation")
    QTest.mouseClick(head, LEFT)
    unfold(graded, "White balance")
    graded.lanes.add("grade")
    sections = graded.bench.lane.parameters.sections
    assert not sections["Saturation"].isChecked() and sections["White balance"].isChecked()


def test_a_look_is_chosen_from_a_file_told_when_it_is_none_and_done_without(
    graded, qtbot, tmp_path, monkeypatch
):
    graded.lanes.add("look")
    good, bad = tmp_path / "own.cube", tmp_path / "bad.cube"
    good.write_text("LUT_3D_SIZE 2\n" + "0 0 0\n" * 8)
    bad.write_text("no look")
    said = []
    graded.editor.said.connect(lambda text, _: said.append(text))
    unfold(graded, "From a file")
    for path in (bad, good):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, path=path: (str(path), ""))
        press(graded.bench.lane, "Choose a file…")
    assert len(said) == 1 and "bad.cube" in said[0]
    assert values(graded)["file"].endswith(str(good))
    assert settled(graded, qtbot).mean() < 0.4 * 255
    press(graded.bench.lane, "Without")
    assert values(graded)["file"] == ""


def test_looks_are_seen_on_the_picture_and_a_dropped_file_is_one(graded, qtbot, tmp_path):
    graded.lanes.add("look")
    tiles = graded.bench.lane.findChild(LookTiles).tiles
    qtbot.waitUntil(lambda: not tiles["mono"].icon().isNull(), timeout=30_000)
    pixels = (tiles[one].icon().pixmap(88, 50).toImage().pixelColor(46, 26) for one in ("mono", "ember"))
    grey, red = (pixel.saturation() for pixel in pixels)
    assert grey < 10 < red
    QTest.mouseClick(tiles["mono"], LEFT)
    assert values(graded)["look"] == "mono" and tiles["mono"].isChecked()
    (tmp_path / "own.cube").write_text("LUT_3D_SIZE 2\n" + "0 0 0\n" * 8)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "own.cube"))])
    n_lanes = len(graded.editor.project.lanes)
    drop(graded, data, QPoint(300, 300))
    qtbot.waitUntil(lambda: len(graded.editor.project.lanes) == n_lanes + 1)
    assert values(graded)["file"].endswith("own.cube")
    graded.editor.undo()
    assert len(graded.editor.project.lanes) == n_lanes


def test_scopes_clipping_and_values_are_of_the_picture_that_is_shown(graded, qtbot):
    assert not graded.scopes.isVisible()
    QTest.keyClick(graded, Qt.Key.Key_S, SHIFT)
    picture = settled(graded, qtbot)
    strip = graded.scopes
    assert strip.isVisible() and strip.view.scopes == (Scope.WAVEFORM, Scope.VECTORSCOPE)
    QTest.mouseClick(strip.switches[Scope.PARADE], LEFT)
    assert Scope.PARADE in strip.view.scopes
    view = graded.picture
    QTest.mouseMove(view, QPoint(view.width() // 4, view.height() // 2))
    at = view.mapFromGlobal(view.mapToGlobal(QPoint(view.width() // 4, view.height() // 2)))
    room = view.picture_room()
    across, down = (at.x() - room.left()) / room.width(), (at.y() - room.top()) / room.height()
    blue, green, red = picture[int(down * picture.shape[0]), int(across * picture.shape[1])]
    assert strip.values.text().split()[1:6:2] == [str(red), str(green), str(blue)]
    seen = view.grab().toImage()
    QTest.mouseClick(strip.stripes, LEFT)
    graded.bench.lane.parameters.changed.emit(
        next(
            one for one in [*graded.editor.chosen.lane.settings, _exposure(graded)] if one.name == "exposure"
        ),
        None,
    )
    assert (settled(graded, qtbot) == 255).any()
    assert view.grab().toImage() != seen
    QTest.keyClick(graded, Qt.Key.Key_S, SHIFT)
    assert not strip.isVisible() and not strip.stripes.isChecked()


def _exposure(window):
    return Setting("exposure", 3.0, 0.0)


def test_before_and_after_lie_beside_a_line_that_is_dragged(graded, qtbot):
    graded.bench.lane.parameters.changed.emit(_exposure(graded), None)
    after = settled(graded, qtbot)
    QTest.keyClick(graded, Qt.Key.Key_H, SHIFT)
    qtbot.waitUntil(lambda: graded.comparison.other is not None, timeout=30_000)
    assert graded.comparison.other.mean() < after.mean() - 20
    view, room = graded.picture, graded.picture.picture_room()
    start = room.center().toPoint()
    drag(view, start, QPoint(round(room.left() + 0.9 * room.width()), start.y()))
    image = view.grab().toImage()
    ratio = view.devicePixelRatioF()
    left = image.pixelColor(round(0.8 * room.width() * ratio), round(start.y() * ratio)).lightness()
    right = image.pixelColor(round(0.97 * room.width() * ratio), round(start.y() * ratio)).lightness()
    assert right > left
    QTest.keyClick(graded, Qt.Key.Key_H, SHIFT)
    assert graded.comparison.other is None


def test_a_grey_is_picked_in_the_picture_and_a_kept_picture_is_matched(graded, qtbot):
    settled(graded, qtbot)
    press(graded.bench.lane, "Grey")
    assert graded.grading.picked is Neutral.GREY
    view, room = graded.picture, graded.picture.picture_room()
    at = QPoint(round(room.left() + 0.3 * room.width()), round(room.top() + 0.3 * room.height()))
    QTest.mouseClick(view, LEFT, NONE, at)
    qtbot.waitUntil(lambda: values(graded)["warmth"] != 0, timeout=30_000)
    picture = settled(graded, qtbot)
    part = picture[round(0.3 * picture.shape[0]), round(0.3 * picture.shape[1])].astype(int)
    assert np.ptp(part) < 14 and graded.grading.picked is None
    match = next(
        one for one in graded.bench.lane.findChildren(QPushButton) if one.text() == "As the kept one"
    )
    assert not match.isEnabled()
    QTest.keyClick(graded, Qt.Key.Key_K, SHIFT)
    kept = graded.shown.kept
    assert match.isEnabled() and graded.comparison.other is kept
    graded.bench.lane.parameters.changed.emit(_exposure(graded), None)
    bright = settled(graded, qtbot).mean()
    QTest.mouseClick(match, LEFT)
    qtbot.waitUntil(lambda: values(graded)["exposure"] != 3.0, timeout=30_000)
    assert abs(settled(graded, qtbot).mean() - kept.mean()) < 0.2 * abs(bright - kept.mean())


def test_clips_are_evened_out_in_one_step(demo, qtbot):
    before = demo.editor.project
    QTest.keyClick(demo, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | SHIFT)
    qtbot.waitUntil(lambda: len(demo.editor.project.lanes) > len(before.lanes), timeout=60_000)
    made = [lane for lane in demo.editor.project.lanes if lane not in before.lanes]
    assert demo.editor.project.lanes[: len(made)] == tuple(made)
    assert all(lane.effect == "grade" and lane.spans and lane.name.startswith("Evened: ") for lane in made)
    demo.editor.undo()
    assert demo.editor.project == before


def test_all_clips_are_brought_to_a_kept_picture_and_parts_are_evened_out(demo, qtbot):
    keys, before = Qt.KeyboardModifier.ControlModifier, demo.editor.project
    QTest.keyClick(demo, Qt.Key.Key_K, keys | SHIFT)
    assert "Shift+K" in demo.notice.text
    qtbot.waitUntil(lambda: demo.shown.picture is not None, timeout=30_000)
    QTest.keyClick(demo, Qt.Key.Key_K, SHIFT)
    QTest.keyClick(demo, Qt.Key.Key_K, keys | SHIFT)
    qtbot.waitUntil(lambda: len(demo.editor.project.lanes) > len(before.lanes), timeout=60_000)
    QTest.keyClick(demo, Qt.Key.Key_E, keys | Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(
        lambda: any(", B full" in lane.name for lane in demo.editor.project.lanes), timeout=60_000
    )
    # What the one made is gone.
    assert all(", " in lane.name for lane in demo.editor.project.lanes if lane.effect == "grade")


def test_a_colour_decision_sets_the_wheels_in_one_step(graded, tmp_path, monkeypatch):
    path, before = tmp_path / "own.cdl", graded.editor.project
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    path.write_text("nothing of the kind")
    press(graded.bench.lane, "Colour decision…")
    assert "own.cdl is damaged" in graded.notice.text and graded.editor.project == before
    sop = "<Slope>1.2 1 0.9</Slope><Offset>0 0 0.05</Offset><Power>1 1 1</Power>"
    correction = f"<SOPNode>{sop}</SOPNode><SatNode><Saturation>0.8</Saturation></SatNode>"
    path.write_text(
        '<ColorDecisionList xmlns="urn:ASC:CDL:v1.01"><ColorDecision><ColorCorrection>'
        f"{correction}</ColorCorrection></ColorDecision></ColorDecisionList>"
    )
    press(graded.bench.lane, "Colour decision…")
    now = values(graded)
    assert now["saturation"] == pytest.approx(80) and now["contrast"] == 100
    assert now["shadows_hue"] == pytest.approx(240) and now["shadows_colour"] == pytest.approx(20)
    graded.editor.undo()
    assert graded.editor.project == before


def test_a_film_is_told_to_mix_light_and_how_long_its_shutter_is_open(demo):
    demo.editor.select(SongSelection())
    mixes = next(one for one in demo.bench.song.findChildren(QCheckBox) if one.text() == "Mix light")
    assert mixes.isChecked() and demo.editor.project.in_light
    mixes.click()
    type_into(field(demo.bench.song, QDoubleSpinBox, "Shutter of the film"), "180")
    assert not demo.editor.project.in_light and demo.editor.project.shutter_angle == 180
    demo.editor.undo()
    demo.editor.undo()
    assert demo.editor.project.in_light and demo.editor.project.shutter_angle == 0
