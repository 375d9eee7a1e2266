"""What can be done is found: by the finder, by a right click, among the projects that were open."""

from hands import LEFT
from helpers import grey_clip
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QMenu, QPushButton

from epiphane.desk.control.selection import (
    CuesSelection,
    FootageSelection,
    LaneSelection,
    Selection,
)
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.desk.shell.actions import ACTIONS, OTHER_WORDS
from epiphane.desk.shell.finder import Column
from epiphane.desk.shell.menus import MENUS
from epiphane.document.ids import FootageId
from epiphane.document.pulse import PulseUnit
from epiphane.files.settings import folder_of, note_recent, recent_projects
from epiphane.timing import frame_start


def look_for(window, text):
    """Open the finder with its key and type."""
    if not window.finder.isVisible():
        QTest.keyClick(window, Qt.Key.Key_F10)
    field = window.header.find_field
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Shift)
    while window.finder._look.isActive():
        QTest.qWait(10)
    return field


def right_click(widget, at):
    """Press the right button on a widget, and return the texts of the menu that opens."""
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, event)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def texts(menu):
    """Return what a menu offers."""
    return [action.text() for action in menu.actions() if not action.isSeparator()]


def test_every_kind_of_selection_has_a_menu_of_actions_and_every_other_word_is_of_one():
    ids = {spec.id for spec in ACTIONS}
    assert set(MENUS) == set(Selection.__args__)
    assert all(key in ids for groups in MENUS.values() for group in groups for key in group)
    assert set(OTHER_WORDS) <= ids


def test_things_are_found_by_the_words_people_have_for_them(demo):
    wanted = {
        "grade": "Temperature",
        "razor": "Split at the playhead",
        "speed": "Stretch to end here",
        "crop": "Letterbox",
        "vertical": "Next shape of the frame",
    }
    for words, found in wanted.items():
        look_for(demo, words)
        assert found in names_found(demo), words
    look_for(demo, "perpetuum mobile")
    assert not names_found(demo)
    told = [one.text() for one in demo.finder.findChildren(QLabel) if one.isVisible()]
    assert told.count("Nothing here for “perpetuum mobile”") == 3


def names_found(window):
    """Return what the finder shows in all its columns."""
    lists = window.finder._lists.values()
    return [listed.item(row).text() for listed in lists for row in range(listed.count())]


def test_what_is_chosen_is_laid_done_or_gone_to_and_escape_gives_the_keyboard_back(demo):
    editor = demo.editor
    n_lanes = len(editor.project.lanes)
    field = look_for(demo, "strobe")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert editor.project.lanes[-1].effect == "strobe"
    assert len(editor.project.lanes) == n_lanes + 1
    assert not demo.finder.isVisible()

    field = look_for(demo, "undo")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert len(editor.project.lanes) == n_lanes

    field = look_for(demo, "2.3")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert editor.playhead == round(editor.bars[1].beats[2] * editor.project.rate)

    QTest.keyClick(demo, Qt.Key.Key_F10)
    field = demo.header.find_field
    assert demo.finder.marked.column is Column.DO
    QTest.keyClick(field, Qt.Key.Key_Tab)
    assert demo.finder.marked.column is Column.LAY
    first = demo.finder.marked
    QTest.keyClick(field, Qt.Key.Key_Down)
    assert demo.finder.marked is not first
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert not demo.finder.isVisible()
    assert demo.score.hasFocus()
    assert len(editor.project.lanes) == n_lanes


def test_the_finder_copes_with_ten_thousand_clips(demo):
    one = demo.editor.project.footage[0]
    clips = tuple(
        replace(one, id=FootageId(50_000 + n), path=f"/nowhere/run {n:05d}.mp4") for n in range(10_000)
    )
    demo.editor.apply(lambda p: replace(p, footage=(*p.footage, *clips), next_id=70_000), "clips")
    field = look_for(demo, "run 04321")
    listed = demo.finder._lists[Column.GO]
    assert [listed.item(row).text() for row in range(listed.count())] == ["run 04321"]
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert demo.editor.selection == FootageSelection(FootageId(54_321))
    assert demo.shelf.page is ShelfPage.FOOTAGE
    look_for(demo, "run")
    assert any("more: type more" in one.text() for one in demo.finder.findChildren(QLabel))


def test_a_right_click_selects_and_offers_what_can_be_done_with_its_keys(demo):
    editor, score = demo.editor, demo.score
    lane = editor.project.lanes[0]
    cue = editor.cues.lanes[0].cues[1]
    at = frame_start(cue.frame, editor.project.rate)
    menu = right_click(score.paper(), score.point_of(at, lane.id))
    assert isinstance(editor.selection, CuesSelection)
    assert editor.selection.cues == {(lane.id, cue.hit.time)}
    assert "Copy what the cue is" in texts(menu)
    toggled = next(action for action in menu.actions() if action.text() == "Turn cue or take off or on")
    assert toggled.shortcut().toString() == "X"
    toggled.trigger()
    menu.close()
    assert any(one.off for one in editor.project.lanes[0].overrides)

    menu = right_click(score.paper(), QPoint(30, score.point_of(at, lane.id).y()))
    assert editor.selection == LaneSelection(lane.id)
    assert texts(menu)[:2] == ["Mute the lane", "Solo the lane"]
    menu.close()

    QTest.keyClick(score, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    chosen = editor.selection
    menu = right_click(score.paper(), score.point_of(at, lane.id))
    assert editor.selection == chosen  # what is among the selected ones stays among them
    menu.close()
    by_key = QContextMenuEvent(
        QContextMenuEvent.Reason.Keyboard, QPoint(5, 5), score.mapToGlobal(QPoint(5, 5))
    )
    QApplication.sendEvent(score, by_key)
    assert "Select same section" in texts(QApplication.activePopupWidget())
    QApplication.activePopupWidget().close()
    assert editor.selection == chosen


def test_an_effect_of_the_shelf_is_laid_where_its_menu_says(demo):
    demo.shelf.open_page(ShelfPage.EFFECTS)
    tiles = demo.shelf.effects.tiles
    menu = right_click(tiles.viewport(), tiles.point_of("flash"))
    next(one for one in menu.actions() if one.text() == "On every bar").trigger()
    menu.close()
    lane = demo.editor.project.lanes[-1]
    pulse = next(one for one in demo.editor.project.pulses if one.id == lane.pulse)
    assert (lane.effect, pulse.unit) == ("flash", PulseUnit.BAR)


def test_projects_that_were_open_are_offered_again_and_one_that_is_gone_is_told(
    make_window, qtbot, tmp_path, monkeypatch
):
    first = make_window()
    first.files.gather([grey_clip(tmp_path / "run.mp4", n_pictures=12)])
    path = tmp_path / "marbles.epiphane"
    qtbot.waitUntil(lambda: not first.jobs.running)
    assert first.files.save_as(path)
    other = make_window("other")
    button = next(one for one in other.welcome.findChildren(QPushButton) if one.text() == "marbles")
    first.files.new()
    QTest.mouseClick(button, LEFT)
    assert other.editor.path == path
    note_recent(tmp_path / "gone.epiphane")
    assert recent_projects() == (path,)
    told = []
    other.editor.said.connect(lambda text, _: told.append(text))
    other.files.leave_for(tmp_path / "gone.epiphane")
    assert "gone.epiphane" in told[-1]

    asked = []
    monkeypatch.setattr(
        "epiphane.desk.control.files.QFileDialog.getOpenFileNames",
        lambda _parent, _title, folder: (asked.append(folder), ([str(path.parent / "run.mp4")], ""))[1],
    )
    other.files.ask_footage()
    other.files.ask_footage()
    assert asked[1] == str(path.parent) == str(folder_of("footage", tmp_path))
