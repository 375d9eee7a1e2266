"""Recipes in the real window: seen moving, laid, dropped, made, taken out and brought in, thrown away."""

import pytest
from hands import drop, field, type_into
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog, QLineEdit

from epiphane.desk.control.drag import carry_recipe
from epiphane.desk.control.selection import RecipeSelection
from epiphane.document.lane import Trigger
from epiphane.edits.keying.lanes import change_lane
from epiphane.files.recipes import RECIPE_SUFFIX, load_recipe

LEFT = Qt.MouseButton.LeftButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def demo(demo):
    """The demo, its recipes on the shelf."""
    QTest.keyClick(demo, Qt.Key.Key_E, SHIFT)
    assert demo.shelf.recipes.isVisible()
    return demo


def names(window):
    tiles = window.shelf.recipes.tiles
    return [tiles.item(n).text() for n in range(tiles.count())]


def path_of(window, name):
    return next(str(one.path) for one in window.recipes.kept if one.recipe.name == name)


def click(window, name):
    tiles = window.shelf.recipes.tiles
    QTest.mouseClick(tiles.viewport(), LEFT, pos=tiles.point_of(path_of(window, name)))


def effects(window):
    return [lane.effect for lane in window.editor.project.lanes]


def test_a_recipe_is_looked_at_and_laid_with_keys_and_taken_back(demo):
    before = demo.editor.project
    QTest.keyClick(demo, Qt.Key.Key_F, CTRL)
    QTest.keyClicks(demo.shelf.search, "one hard blow")
    assert names(demo) == ["Hammer"]
    click(demo, "Hammer")
    assert isinstance(demo.editor.selection, RecipeSelection)
    assert ("Zoom", "bars") in demo.bench.recipe.stack.told()
    QTest.keyClick(demo.shelf.recipes.tiles, Qt.Key.Key_Return)
    laid = demo.editor.project.lanes[2:]
    assert [lane.effect for lane in laid] == ["zoom", "flash", "shake", "split"]
    assert {lane.pulse for lane in laid} == {before.lanes[0].pulse}  # the bars that are there
    assert demo.editor.chosen.lane == laid[0]
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert demo.editor.project == before


def test_a_recipe_fires_on_the_pulse_it_is_dropped_on_or_told(demo):
    beats = next(pulse for pulse in demo.editor.project.pulses if pulse.name == "beats")
    zoom = demo.editor.project.lanes[1]
    assert zoom.pulse == beats.id
    point = demo.score.point_of(5.0, zoom.id)
    drop(demo.score.viewport(), carry_recipe(path_of(demo, "Hammer")), point)
    assert {lane.pulse for lane in demo.editor.project.lanes[2:]} == {beats.id}
    click(demo, "Drumskin")
    box = field(demo, QComboBox, "What fires the recipe")
    box.setCurrentIndex(box.findText("beats"))
    QTest.mouseClick(demo.bench.recipe.use, LEFT)
    assert [lane.pulse for lane in demo.editor.project.lanes[6:]] == [beats.id] * 2


def test_a_recipe_that_follows_finds_its_bands_in_this_song(demo):
    demo.recipes.use(path_of(demo, "Lantern"))
    laid = demo.editor.project.lanes[2:]
    assert all(lane.trigger is Trigger.FOLLOW for lane in laid)
    assert all(demo.editor.cues.lane(lane.id).levels.max() > 0.5 for lane in laid)


def test_a_recipe_moves_on_its_tile_while_it_is_pointed_at(demo, qtbot):
    seen = []
    demo.effect_mover.drawn.connect(lambda one: seen.append((one.key, one.picture.copy())))
    tiles = demo.shelf.recipes.tiles
    demo.shelf.recipes.search("Hammer")  # of all of them it lies below what is seen
    QTest.mouseMove(tiles.viewport(), tiles.point_of(path_of(demo, "Hammer")))
    qtbot.waitUntil(lambda: len({picture.tobytes() for _, picture in seen}) > 3, timeout=60_000)
    assert {key for key, _ in seen} == {path_of(demo, "Hammer")}


def test_lanes_become_a_recipe_that_goes_out_and_comes_back(demo, monkeypatch, tmp_path):
    flash = demo.editor.project.lanes[0].id
    demo.editor.apply(lambda p: change_lane(p, flash, depth=0.4), "depth")
    demo.lanes.step(1)
    QTest.keyClick(demo, Qt.Key.Key_R, CTRL)
    checks = list(demo.bench.new_recipe.checks.values())
    assert [check.isChecked() for check in checks] == [True, False]  # those on the bars
    QTest.mouseClick(demo.bench.new_recipe.keep, LEFT)
    assert demo.notice.text == "A recipe needs a name."
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    QTest.keyClick(demo, Qt.Key.Key_R, CTRL)  # and once more
    assert demo.bench.new_recipe.name.hasFocus()
    name = field(demo, QLineEdit, "Name of the recipe")
    type_into(field(demo, QLineEdit, "What the recipe does"), "")
    type_into(name, "Weak flash")
    kept = demo.recipes.find(demo.editor.selection.recipe)
    assert kept.recipe.lanes[0].depth == 0.4
    assert names(demo)[0] == "Weak flash"  # one's own come first

    out = tmp_path / f"given{RECIPE_SUFFIX}"
    monkeypatch.setattr("epiphane.desk.look.asking.ask_new_file", lambda *_: out)
    demo.recipes.ask_export(kept)
    assert load_recipe(out) == kept.recipe
    QTest.keyClick(demo, Qt.Key.Key_Delete)
    assert "Weak flash" not in names(demo)
    assert "Weak flash is deleted" in demo.notice.text
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(out)], ""))
    demo.recipes.ask_import()
    assert names(demo)[0] == "Weak flash"
    click(demo, "Hammer")
    QTest.keyClick(demo.shelf.recipes.tiles, Qt.Key.Key_Delete)
    assert "comes with Epiphane" in demo.notice.text


def test_titles_go_along_with_a_recipe_where_they_are_wanted(demo, qtbot):
    editor = demo.editor
    editor.go_to(258)
    QTest.keyClick(demo, Qt.Key.Key_Y, SHIFT)
    demo.lanes.step(1)
    QTest.keyClick(demo, Qt.Key.Key_R, CTRL)
    bench = demo.bench.new_recipe
    assert bench.items.text() == "and 1 title, solids or shapes on tracks"
    qtbot.waitUntil(lambda: bench.items.height() > 0)
    QTest.mouseClick(bench.items, LEFT)
    type_into(field(demo, QLineEdit, "Name of the recipe"), "Sign")
    kept = demo.recipes.find(editor.selection.recipe)
    assert [item.content.text for item in kept.recipe.items] == ["TITLE"]
    n_tracks = len(editor.project.tracks)
    demo.recipes.use(str(kept.path))
    assert len(editor.project.tracks) == n_tracks + 1


def test_what_is_wrong_with_a_recipe_is_told_and_nothing_is_lost(demo, tmp_path, qtbot):
    before, n_names = demo.editor.project, len(names(demo))
    text = next(one.path for one in demo.recipes.kept if one.recipe.name == "Hammer").read_text()
    broken = tmp_path / f"broken{RECIPE_SUFFIX}"
    broken.write_text(text[:200])
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(broken))])
    drop(demo, data, QPoint(900, 300))
    qtbot.waitUntil(lambda: "damaged or cut short" in demo.notice.text)
    assert (demo.editor.project, len(names(demo))) == (before, n_names)
    unknown = tmp_path / f"tomorrow{RECIPE_SUFFIX}"
    unknown.write_text(text.replace('"flash"', '"warp drive"').replace('"Hammer"', '"Tomorrow"'))
    assert demo.recipes.bring_in(unknown)
    assert "does not know warp drive" in demo.notice.text
    demo.recipes.use(path_of(demo, "Tomorrow"))
    assert effects(demo)[2:] == ["zoom", "warp drive", "shake", "split"]
    demo.editor.go_to(300)  # and is drawn without it
