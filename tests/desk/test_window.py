"""The whole job in the real window, by mouse and keys."""

from concurrent.futures import ThreadPoolExecutor
from functools import partial

import numpy as np
import pytest
from hands import drag, drop
from helpers import read_lumas
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from epiphane.desk.control.drag import carry_effect, carry_footage
from epiphane.desk.control.selection import CuesSelection, LaneSelection, SongSelection
from epiphane.desk.shell.actions import ACTIONS, key_text
from epiphane.desk.shell.app import open_given
from epiphane.desk.shell.given_projects import GivenProjects
from epiphane.desk.shell.keys import SHORT_KEYS, key_rows
from epiphane.document.project import Project
from epiphane.files.project import load_project, save_project
from epiphane.files.running_window import give_to_running
from epiphane.media.probe import probe_footage

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


def drop_files(window, paths, qtbot):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    drop(window, data, QPoint(900, 300))
    qtbot.waitUntil(lambda: not window.jobs.running and window.editor.project.n_frames > 0, timeout=20_000)


@pytest.fixture
def edit(window, media, qtbot):
    """A window with the song, both clips filled in, and a lane of flashes on every beat."""
    drop_files(window, [media / "song.wav", media / "first.mp4", media / "second.mp4"], qtbot)
    qtbot.waitUntil(lambda: window.editor.heard is not None, timeout=20_000)
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert window.notice.text.startswith("The song is filled: ")
    drop(window.score.viewport(), carry_effect("flash"), QPoint(400, 200))
    return window


def cue_point(window, time, lane=0):
    return window.score.point_of(time, window.editor.project.lanes[lane].id)


def cue_at(window, time, lane=0):
    return next(cue for cue in window.editor.cues.lanes[lane].cues if abs(cue.hit.time - time) < 0.01)


def test_from_an_empty_window_to_a_film(window, media, tmp_path, qtbot):
    assert window.welcome.isVisible()
    drop_files(window, [media / "song.wav", media / "first.mp4", media / "second.mp4"], qtbot)
    qtbot.waitUntil(lambda: window.editor.heard is not None, timeout=20_000)
    assert window.score.isVisible()
    project = window.editor.project
    assert [beat.time for beat in project.song.beats] == pytest.approx(np.arange(0.5, 16, 0.5), abs=1e-3)
    ids = [footage.id for footage in project.footage]
    drop(window.score.viewport(), carry_footage(ids), QPoint(300, 100))
    assert [shot.footage for shot in window.editor.project.shots] == ids
    for key in ("flash", "zoom"):
        drop(window.score.viewport(), carry_effect(key), QPoint(400, 200))
    assert [lane.effect for lane in window.editor.project.lanes] == ["flash", "zoom"]
    assert isinstance(window.editor.selection, LaneSelection)

    # One cue off, one stronger by a drag, one nudged by keys.
    QTest.mouseClick(window.score.viewport(), LEFT, NONE, cue_point(window, 1.5))
    assert isinstance(window.editor.selection, CuesSelection)
    QTest.keyClick(window, Qt.Key.Key_X)
    assert cue_at(window, 1.5).is_off
    weak = cue_point(window, 2.0)
    drag(window.score.viewport(), weak, weak + QPoint(0, 6))
    assert 0.4 < cue_at(window, 2.0).strength < 0.9
    QTest.mouseClick(window.score.viewport(), LEFT, NONE, cue_point(window, 2.5))
    for _ in range(3):
        QTest.keyClick(window, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert cue_at(window, 2.5).frame == 78

    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert window.bench.export.isVisible()
    film = tmp_path / "film.mp4"
    window.bench.export.set_path(film)
    window.bench.export.start()
    qtbot.waitUntil(lambda: not window.exports.is_busy, timeout=60_000)
    assert "film.mp4 is ready" in window.notice.text
    assert probe_footage(film).width == window.editor.project.width  # not that of the empty project
    brightness = np.array([luma.mean() for luma in read_lumas(film)[0]])
    assert len(brightness) == window.editor.project.n_frames
    usual = brightness[26]  # between two cues
    assert brightness[[15, 30, 78]].min() > usual + 40
    assert brightness[45] < usual + 5  # the cue at 1.5 s is off
    assert usual + 10 < brightness[60] < brightness[30] - 10  # the one at 2.0 s is weaker


def test_every_step_can_be_undone_and_done_again(edit, qtbot):
    window = edit
    last = window.editor.project
    n_steps = 0
    while window.actions_by_id["undo"].isEnabled():
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        n_steps += 1
    assert window.editor.project.song is None
    assert window.welcome.isVisible()
    assert n_steps == 4  # footage, song, filling, lane
    for _ in range(n_steps):
        QTest.keyClick(
            window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
    assert window.editor.project == last
    assert not window.actions_by_id["redo"].isEnabled()


def test_cues_are_chosen_with_a_band_and_changed_together(edit, qtbot):
    window = edit
    paper = window.score.viewport()
    first, last = cue_point(window, 1.0), cue_point(window, 3.0)
    drag(paper, first + QPoint(-14, -8), last + QPoint(12, 4))
    chosen = sorted(cue.hit.time for cue in window.editor.chosen.cues)
    assert chosen == pytest.approx([1.0, 1.5, 2.0, 2.5, 3.0], abs=0.001)
    QTest.keyClick(window, Qt.Key.Key_Down)
    assert {round(cue.strength, 2) for cue in window.editor.chosen.cues} == {0.87}
    QTest.keyClick(window, Qt.Key.Key_R)
    assert window.editor.project.lanes[0].overrides == ()
    QTest.mouseClick(paper, LEFT, Qt.KeyboardModifier.ShiftModifier, cue_point(window, 2.0))
    assert len(window.editor.chosen.cues) == 4
    QTest.keyClick(window, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert len(window.editor.chosen.cues) == 31


def test_a_drag_is_one_step_of_undo(edit, tmp_path):
    window = edit
    before = window.editor.project
    journal = next(p for p in tmp_path.rglob("unsaved/*/journal"))
    n_lines = len(journal.read_bytes().splitlines())
    point = cue_point(window, 2.0)
    drag(window.score.viewport(), point, point + QPoint(0, 9), steps=12)
    assert cue_at(window, 2.0).strength < 1
    assert len(journal.read_bytes().splitlines()) == n_lines + 1
    drag(window.score.viewport(), point, point + QPoint(16, 0), steps=12)
    assert cue_at(window, 2.0).frame > 60
    for _ in range(2):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project == before


def test_a_double_click_switches_a_cue_off_and_on(edit, qtbot):
    window = edit
    paper, point = window.score.viewport(), cue_point(edit, 4.0)
    for is_off in (True, False):
        QTest.mouseClick(paper, LEFT, NONE, point)
        QTest.mouseDClick(paper, LEFT, NONE, point)
        assert cue_at(window, 4.0).is_off is is_off


def test_the_feet_of_a_cue_are_its_lanes_rise_and_fall(edit, qtbot):
    window = edit
    QTest.keyClick(window, Qt.Key.Key_1)  # one bar a line: feet are far apart
    window.editor.go_to(0)
    lane = window.editor.project.lanes[0]
    stave = window.score.layout_now().stave_at(0.6)
    scale = window.score.layout_now().pixels_per_second(stave, 0.6)
    frame = scale / 30
    peak = cue_point(window, 0.5)
    foot = peak + QPoint(round(lane.envelope.fall * frame) - 2, 0)
    QTest.mouseClick(window.score.viewport(), LEFT, pos=peak)  # only a selected cue shows its feet
    drag(window.score.viewport(), foot, foot + QPoint(round(5 * frame), 0))
    assert window.editor.project.lanes[0].envelope.fall == lane.envelope.fall + 5
    start = peak - QPoint(round(lane.envelope.rise * frame) - 1, 0)
    drag(window.score.viewport(), start, start - QPoint(round(3 * frame), 0))
    assert window.editor.project.lanes[0].envelope.rise == lane.envelope.rise + 3


def test_going_through_the_song_with_keys(edit, qtbot):
    window = edit
    editor = window.editor
    control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
    places = []
    for key, modifier in (
        (Qt.Key.Key_Right, NONE),
        (Qt.Key.Key_Right, shift),
        (Qt.Key.Key_Right, shift),
        (Qt.Key.Key_Right, control),
        (Qt.Key.Key_Left, shift),
        (Qt.Key.Key_Left, NONE),
        (Qt.Key.Key_End, NONE),
        (Qt.Key.Key_Left, control),
        (Qt.Key.Key_Home, NONE),
    ):
        QTest.keyClick(window, key, modifier)
        places.append(editor.playhead)
    assert places == [1, 15, 30, 75, 60, 59, editor.project.n_frames - 1, 435, 0]
    QTest.keyClick(window, Qt.Key.Key_Period)
    assert (editor.playhead, editor.chosen.cues[0].frame) == (15, 15)
    QTest.keyClick(window, Qt.Key.Key_Period)
    QTest.keyClick(window, Qt.Key.Key_Comma)
    assert editor.playhead == 15
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert isinstance(editor.selection, SongSelection)


def test_clicking_the_ruler_goes_there_and_shows_that_picture(edit, qtbot):
    window = edit
    with qtbot.waitSignal(window.playback.shown, timeout=5000, check_params_cb=lambda _, frame: frame == 60):
        QTest.mouseClick(window.score.viewport(), LEFT, NONE, window.score.point_of(2.01))
    assert window.editor.playhead == 60
    plan = window.frames.plan(60)
    assert [active.key for active in plan.root.effects] == ["flash"]


def test_lanes_are_stepped_muted_and_removed_with_keys(edit, qtbot):
    window = edit
    drop(window.score.viewport(), carry_effect("zoom"), QPoint(400, 200))
    flash, zoom = (lane.id for lane in window.editor.project.lanes)
    QTest.keyClick(window, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.selection.lane == flash
    QTest.keyClick(window, Qt.Key.Key_M)
    assert window.editor.project.lanes[0].is_muted
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert [lane.id for lane in window.editor.project.lanes] == [zoom]
    assert isinstance(window.editor.selection, SongSelection)


def test_a_shot_is_chosen_stretched_and_taken_out(edit, qtbot):
    window = edit
    stave = window.score.layout_now().staves[0]
    shots_y = round(window.score.layout_now().shots_top(stave.top)) + 12
    QTest.mouseClick(window.score.viewport(), LEFT, NONE, QPoint(window.score.point_of(1.5).x(), shots_y))
    shot = window.editor.chosen.shot
    assert shot is window.editor.project.shots[1]
    n_before = len(window.editor.project.shots)
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert len(window.editor.project.shots) == n_before - 1
    assert shot.id not in [one.id for one in window.editor.project.shots]


def test_lines_get_more_or_fewer_bars(edit, qtbot):
    window = edit
    QTest.keyClick(window, Qt.Key.Key_2)
    assert len(window.score.layout_now().staves) == 5
    at = QPointF(300, 100)
    turn = QWheelEvent(
        at, at, QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.ControlModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(window.score.viewport(), turn)
    assert window.score.bars_per_line == 4
    window.resize(1600, 900)
    stave = window.score.layout_now().staves[1]
    for seconds in np.linspace(stave.start, stave.end - 0.01, 9):
        x = window.score.layout_now().x_at(stave, seconds)
        assert window.score.layout_now().seconds_at(stave, x) == pytest.approx(seconds)


def test_saving_and_opening_gives_the_same_edit(edit, make_window, tmp_path, monkeypatch, qtbot):
    path = tmp_path / "edit.epiphane"
    monkeypatch.setattr("epiphane.desk.look.asking.ask_new_file", lambda *_: path)
    assert edit.windowTitle().startswith("Untitled*")
    QTest.keyClick(edit, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert load_project(path) == edit.editor.project
    assert not edit.editor.is_changed
    assert edit.windowTitle().startswith("edit ·")
    edit.close()
    other = make_window()
    other.files.open_path(path)
    qtbot.waitUntil(lambda: other.editor.heard is not None, timeout=20_000)
    assert other.editor.project == edit.editor.project
    assert other.notice.text == ""


def test_every_action_has_words_and_no_key_means_two_things(window):
    keys = [key.toString() for action in window.actions_by_id.values() for key in action.shortcuts()]
    assert len(keys) == len(set(keys))
    assert all(action.text() and action.toolTip() for action in window.actions_by_id.values())
    QTest.keyClick(window, Qt.Key.Key_F1)
    assert window.key_list.isVisible()
    told = {label.text() for label in window.key_list.findChildren(QLabel)}
    rows = [row for group in key_rows().values() for row in group]
    assert sorted(one for row in rows for one in row.ids) == sorted(spec.id for spec in ACTIONS)
    assert {text for row in rows for text in (row.keys, row.text)} <= told
    lasts = {spec.id: key_text(spec.keys[0]).rpartition(" ")[2] for spec in ACTIONS}
    assert all(SHORT_KEYS.get(lasts[one], lasts[one]) in row.keys for row in rows for one in row.ids)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.key_list.isVisible()


def test_a_project_that_is_opened_elsewhere_comes_into_the_window_that_runs(window, tmp_path, qtbot):
    project = tmp_path / "roll on.epiphane"
    save_project(Project(), project)
    assert not give_to_running(project)
    first, second = GivenProjects(), GivenProjects()
    first.given.connect(partial(open_given, window))
    with ThreadPoolExecutor(1) as terminal:
        told = terminal.submit(give_to_running, project)
        qtbot.waitUntil(lambda: window.editor.path == project, timeout=10_000)
        assert told.result(5)
    for one in (second, first):
        one.close()
    assert not give_to_running(project), "what a closed window leaves takes nothing"
    again = GivenProjects()  # and is no hindrance
    assert again._listening is not None
    again.close()
