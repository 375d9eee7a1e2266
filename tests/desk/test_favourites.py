"""Favourites, what was used last and groups on the shelf, by mouse and keys; they outlive the window."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from epiphane.desk.shelf.moving import EVERYTHING, FAVOURITES, USED, detail_of
from epiphane.effects.declare import EFFECTS
from epiphane.files.settings import read_settings


def keys(page):
    return [tile.key for tile in page.tiles._tiles]


def test_a_star_and_what_was_laid_put_tiles_first_and_are_kept_for_the_next_window(demo, make_window, qtbot):
    shelf = demo.shelf
    QTest.keyClick(demo, Qt.Key.Key_E)
    page = shelf.effects
    usual = keys(page)
    assert len(usual) == len(EFFECTS.all())
    page.tiles.choose("prism")
    QTest.keyClick(page.tiles, Qt.Key.Key_Asterisk)
    assert keys(page)[0] == "prism"
    demo.lanes.add("glow")
    assert keys(page)[:2] == ["prism", "glow"]
    shelf.group.setCurrentText(FAVOURITES)
    shelf.group.activated.emit(shelf.group.currentIndex())
    assert keys(page) == ["prism"]
    shelf.group.setCurrentText(USED)
    shelf.group.activated.emit(shelf.group.currentIndex())
    assert keys(page) == ["glow"]
    group = EFFECTS.named("halation").group
    shelf.group.setCurrentText(group)
    shelf.group.activated.emit(shelf.group.currentIndex())
    assert set(keys(page)) == {one.key for one in EFFECTS.all() if one.group == group}
    assert "halation" in keys(page) and "shake" not in keys(page)
    shelf.open_page(4)  # transitions have groups of their own
    assert shelf.group.currentText() == EVERYTHING and shelf.group.findText(group) < 0
    assert read_settings().favourites == ("prism",)
    other = make_window("others")
    assert other.favourites.kept == ("prism",) and other.favourites.used == ("glow",)


def test_the_menu_of_a_tile_keeps_a_favourite_and_lets_it_go(demo, qtbot):
    QTest.keyClick(demo, Qt.Key.Key_E)
    for expected in (("shatter",), ()):
        demo._offer_laying("shatter", demo.mapToGlobal(demo.rect().center()))
        menu = next(one for one in demo.findChildren(QMenu) if one.isVisible())
        (action,) = (one for one in menu.actions() if "avourite" in one.text())
        action.trigger()
        menu.close()
        assert demo.favourites.kept == expected


def test_every_effect_and_transition_stands_in_a_group(demo):
    for page, ones in ((demo.shelf.effects, EFFECTS.all()),):
        assert set(page.groups) == {one.group for one in ones}
        assert "" not in page.groups


def test_effects_are_shown_on_a_clip_with_detail(demo, qtbot):
    page = demo.shelf.effects
    sample = page._sample()
    assert sample is not None
    qtbot.waitUntil(lambda: page._thumbnails.get(sample, sample.duration / 2) is not None, timeout=10_000)
    image = page._thumbnails.get(sample, sample.duration / 2)
    assert detail_of(image) > 12
    flat = image.copy()
    flat.fill(Qt.GlobalColor.darkGray)
    assert detail_of(flat) == 0
    page._thumbnails.get = lambda *_: flat  # of all of the user's clips nothing is to be seen
    assert page._sample().path.endswith("tower.mp4")
