"""What is looked for on the shelf is found by the trade's words, the best first, and belongs to its page."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from epiphane.desk.control.selection import LaneSelection
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.document.project import Project


def found(window, words):
    window.shelf.open_page(ShelfPage.EFFECTS)
    window.shelf.search.setText(words)
    tiles = window.shelf.effects.tiles
    return [tiles.item(n).text() for n in range(tiles.count())]


@pytest.mark.parametrize(
    ("words", "first"),
    [
        ("color", None),
        ("mono", "Saturation"),
        ("desaturate", "Saturation"),
        ("black and white", "Saturation"),
        ("shake", "Shake"),
        ("rgb", "Channel split"),
        ("whip", None),
        ("zoom", "Zoom"),
        ("gray", None),
        ("grade", "Grade"),
    ],
)
def test_words_of_the_trade_find_effects_the_best_first(window, words, first):
    names = found(window, words)
    assert names
    assert first is None or names[0] == first
    assert len(names) < 47


def test_each_page_has_a_search_of_its_own_and_another_project_none(demo):
    shelf = demo.shelf
    assert "Flash" in found(demo, "flash")
    shelf.open_page(ShelfPage.FOOTAGE)
    assert shelf.search.text() == ""
    assert shelf.footage.tiles.count() == 6
    shelf.search.setText("rails")
    assert shelf.footage.tiles.count() == 1
    shelf.open_page(ShelfPage.EFFECTS)
    assert shelf.search.text() == "flash"
    demo.editor.open(Project(footage=demo.editor.project.footage), None)
    assert shelf.search.text() == ""
    assert shelf.footage.tiles.count() == 6
    assert shelf.effects.tiles.count() == 91


def test_nothing_found_is_said_and_keys_go_to_what_is(demo):
    shelf = demo.shelf
    assert found(demo, "marmalade") == []
    assert "Nothing is called “marmalade”" in shelf._nothing.text()
    assert shelf._nothing.isVisible()
    QTest.keyClick(shelf.search, Qt.Key.Key_Escape)
    assert shelf.search.text() == ""
    assert not shelf._nothing.isVisible()
    found(demo, "zoom")
    shelf.search.setFocus()
    QTest.keyClick(shelf.search, Qt.Key.Key_Down)
    assert shelf.effects.tiles.hasFocus()
    n_lanes = len(demo.editor.project.lanes)
    QTest.keyClick(shelf.effects.tiles, Qt.Key.Key_Return)
    assert len(demo.editor.project.lanes) == n_lanes + 1
    assert demo.editor.project.lanes[-1].effect == "zoom"
    assert isinstance(demo.editor.selection, LaneSelection)


def test_nothing_moves_when_a_job_begins_or_something_is_said(demo, qtbot):
    before = demo.shelf.mapTo(demo, demo.shelf.rect().topLeft()), demo.shelf.size(), demo.score.size()
    demo.jobs.start("wait", "Waiting", lambda _: None, done=lambda _: None)
    demo.notice.say("A long sentence about nothing. " * 12, True)
    qtbot.waitUntil(lambda: not demo.jobs.running)
    after = demo.shelf.mapTo(demo, demo.shelf.rect().topLeft()), demo.shelf.size(), demo.score.size()
    assert after == before
    assert demo.notice.geometry().bottom() < demo.height()
