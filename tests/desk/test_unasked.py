"""Nothing is changed but what the user means to change."""

import numpy as np
import pytest
from hands import NONE, choose, drag, field, type_into
from helpers import click_track, grey_clip, write_sound
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QDoubleSpinBox, QLineEdit, QWidget

from epiphane.desk.control.selection import (
    BeatSelection,
    CuesSelection,
    ExportSelection,
    FillingSelection,
    FootageSelection,
    LaneSelection,
    PulseSelection,
    ShotSelection,
    SongSelection,
    TapSelection,
)
from epiphane.document.project import Project
from epiphane.document.pulse import Pulse, TappedSource
from epiphane.document.song import Hit
from epiphane.edits.keying.cues import nudge_cues
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import add_pulse
from epiphane.edits.shots.cutting import TrimMode
from epiphane.edits.song.taps import move_tap, remove_tap
from epiphane.edits.song.trim import trim_song
from epiphane.files.project import load_project, save_project

LEFT = Qt.MouseButton.LeftButton
CTRL = Qt.KeyboardModifier.ControlModifier


def selections(project):
    """Return what can be put on the bench, one of each kind."""
    lane = project.lanes[0].id
    yield SongSelection()
    yield LaneSelection(lane)
    yield CuesSelection(lane=lane, cues=frozenset({(lane, project.song.beats[4].time)}))
    yield from (PulseSelection(pulse.id) for pulse in project.pulses)
    yield BeatSelection(2)
    yield ShotSelection(project.shots[1].id)
    yield from (FootageSelection(one.id) for one in project.footage[:2])
    yield from (FillingSelection(), ExportSelection())
    yield TapSelection(pulse=project.pulses[-1].id, tap=2.0)


@pytest.fixture
def tapped(demo):
    """The demo with a pulse of taps, on which a lane fires."""
    taps = TappedSource(tuple(Hit(float(n), 0.8) for n in range(1, 28)))
    demo.editor.apply(lambda p: add_pulse(p, taps)[0], "pulse")
    demo.editor.apply(lambda p: add_lane(p, "shake", p.pulses[-1].id), "lane")
    return demo


def test_showing_another_project_changes_neither(tapped, tmp_path, answers):
    editor = tapped.editor
    short, long = tmp_path / "short.epiphane", tmp_path / "long.epiphane"
    assert tapped.files.save_as(long)  # its files are known to be this user's own from now on
    save_project(trim_song(editor.project, 22.0, 27.0), short)
    projects = {path: load_project(path) for path in (short, long)}
    for selection in selections(projects[long]):
        for path in (short, long):
            answers[:] = ["Discard"]
            assert tapped.files.open_path(path)
            editor.select(selection)
            assert editor.project == projects[path]
            assert editor.history.undo_label is None


def test_undo_and_what_is_found_in_the_background_fire_no_edit(tapped, qtbot):
    editor = tapped.editor
    whole = editor.project
    for selection in selections(whole):
        editor.select(selection)
        editor.apply(lambda p: trim_song(p, 22.0, 27.0), "trim")
        editor.undo()
        assert editor.project == whole
        assert editor.history.redo_label == "trim"
        editor.apply_everywhere(lambda p: replace(p, footage=p.footage))
        editor.song_changed.emit()
        assert editor.project == whole


def test_the_wheel_over_the_bench_only_scrolls(tapped):
    editor = tapped.editor
    for selection in selections(editor.project):
        editor.select(selection)
        for widget in tapped.bench.findChildren(QWidget):
            if widget.isVisible() and not widget.hasFocus():
                for notch in (120, -120):
                    at = QPointF(widget.rect().center())
                    event = QWheelEvent(
                        at,
                        widget.mapToGlobal(at),
                        QPoint(),
                        QPoint(0, notch),
                        Qt.MouseButton.NoButton,
                        NONE,
                        Qt.ScrollPhase.NoScrollPhase,
                        False,
                    )
                    QApplication.sendEvent(widget, event)
        assert editor.history.undo_label == "lane", selection


def test_what_is_half_typed_belongs_to_what_it_was_typed_for(tapped):
    editor = tapped.editor
    first, second = editor.project.lanes[:2]
    editor.select(LaneSelection(first.id))
    depth = field(tapped, QDoubleSpinBox, "Depth")
    depth.setFocus()
    depth.selectAll()
    QTest.keyClicks(depth, "40")
    editor.select(LaneSelection(second.id))
    assert [lane.depth for lane in editor.project.lanes[:2]] == [0.4, second.depth]
    one, other = editor.project.footage[:2]
    editor.select(FootageSelection(one.id))
    name = field(tapped, QLineEdit, "Name of the footage")
    name.setFocus()
    name.selectAll()
    QTest.keyClicks(name, "marbles")
    editor.select(FootageSelection(other.id))
    assert [clip.name for clip in editor.project.footage[:2]] == ["marbles", ""]


def test_after_enter_the_keys_are_the_windows_again(tapped):
    editor = tapped.editor
    editor.select(LaneSelection(editor.project.lanes[0].id))
    type_into(field(tapped, QDoubleSpinBox, "Depth"), "40")
    assert editor.project.lanes[0].depth == 0.4
    QTest.keyClick(tapped, Qt.Key.Key_Z, CTRL)
    assert editor.project.lanes[0].depth == 1.0
    n_lanes = len(editor.project.lanes)
    type_into(field(tapped, QDoubleSpinBox, "Depth"), "30")
    QTest.keyClick(tapped.focusWidget() or tapped, Qt.Key.Key_Delete)
    assert len(editor.project.lanes) == n_lanes - 1


def test_sizes_of_the_film_keep_their_order(tapped):
    tapped.editor.select(SongSelection())
    sizes = field(tapped, QComboBox, "Size of the film")
    for text in ("1920 × 1080", "1080 × 1920, upright", "1080 × 1080, square"):
        before = [sizes.itemText(n) for n in range(sizes.count())]
        choose(sizes, text)
        after = [sizes.itemText(n) for n in range(sizes.count()) if not sizes.itemText(n).startswith("As")]
        assert [one for one in before if not one.startswith("As")] == after
        assert sizes.currentText() == text


def test_tiles_show_the_clips_of_their_own_project(window, tmp_path, answers, qtbot):
    for name, level in (("dark", 30), ("bright", 220)):
        folder = tmp_path / name
        folder.mkdir()
        window.files.gather([grey_clip(folder / "clip.mp4", level=level)])
        qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=9000)
        window.editor.save(folder / "edit.epiphane")
        tiles = window.shelf.footage.tiles
        qtbot.waitUntil(lambda tiles=tiles: _level(tiles) is not None, timeout=9000)
        qtbot.waitUntil(lambda tiles=tiles, level=level: abs(_level(tiles) - level) < 20, timeout=9000)
        window.files.new()
    window.files.open_path(tmp_path / "dark" / "edit.epiphane")
    qtbot.waitUntil(lambda: _level(tiles) is not None, timeout=9000)
    window.files.open_path(tmp_path / "bright" / "edit.epiphane")
    assert _level(tiles) is None or _level(tiles) > 150
    qtbot.waitUntil(lambda: _level(tiles) is not None and _level(tiles) > 150, timeout=9000)


def _level(tiles):
    """Return the grey level of the first tile's picture."""
    image = tiles.item(0).data(Qt.ItemDataRole.UserRole + 2) if tiles.count() else None
    return None if image is None else image.pixelColor(image.width() // 2, image.height() // 2).lightness()


def test_a_single_tap_is_selected_moved_and_removed(tapped):
    editor, paper = tapped.editor, tapped.score.viewport()
    pulse, lane = editor.project.pulses[-1].id, editor.project.lanes[-1].id
    editor.apply(lambda p: nudge_cues(p, [(lane, 2.0)], 2), "nudge")
    editor.go_to(0)
    layout = tapped.score.layout_now()
    stave = layout.stave_at(2.0)
    y = round(layout.pulse_middle(stave.top, layout.pulses.index(pulse)))
    start, end = (QPoint(round(layout.x_at(stave, time)), y) for time in (2.0, 2.2))
    drag(paper, start, end)
    tap = editor.chosen.tap
    assert tap.time == pytest.approx(2.2, abs=0.02)
    assert [o.hit for o in editor.project.lanes[-1].overrides] == [tap.time]  # keyed to it, it goes along
    assert editor.history.undo_label == "move of a tap"
    type_into(field(tapped, QDoubleSpinBox, "Time"), "2.5")
    QTest.keyClick(tapped, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert editor.chosen.tap.time == pytest.approx(2.505)
    QTest.keyClick(tapped, Qt.Key.Key_Delete)
    hits = next(one for one in editor.project.pulses if one.id == pulse).source.hits
    assert len(hits) == 26
    assert 2.505 not in [hit.time for hit in hits]
    assert isinstance(editor.selection, TapSelection)
    for _ in range(3):
        QTest.keyClick(tapped, Qt.Key.Key_Z, CTRL)
    hits = next(one for one in editor.project.pulses if one.id == pulse).source.hits
    assert [hit.time for hit in hits] == sorted([1.0, tap.time, *(float(n) for n in range(3, 28))])


def test_a_tap_moved_there_and_back_changes_nothing(tapped):
    project = tapped.editor.project
    pulse = project.pulses[-1].id
    assert move_tap(move_tap(project, pulse, 3.0, to=3.4), pulse, 3.4, to=3.0) == project
    assert len(remove_tap(project, pulse, 3.0).pulses[-1].source.hits) == 26


def test_a_band_drawn_over_cues_and_a_click_on_a_name_hold_no_foot(tapped):
    editor, score = tapped.editor, tapped.score
    lane = editor.project.lanes[1]
    beats = [beat.time for beat in editor.project.song.beats]
    shape = lane.envelope
    for beat in beats[4:8]:
        base = score.point_of(beat, lane.id)
        for dx in (-30, -18, -9, 9, 18, 30):
            editor.select(SongSelection())
            drag(score.viewport(), base + QPoint(dx, 3), base + QPoint(dx + 60, -2))
            assert editor.project.lanes[1].envelope == shape
    stave = score.layout_now().staves[1]
    editor.select(SongSelection())
    at = QPoint(60, score.point_of(stave.start + 0.01, lane.id).y())
    QTest.mouseClick(score.viewport(), LEFT, pos=at)
    assert editor.selection == LaneSelection(lane.id)


def test_a_longer_shot_says_which_it_took_the_place_of(tapped):
    editor = tapped.editor
    editor.select(ShotSelection(editor.project.shots[0].id))
    n_shots = len(editor.project.shots)
    type_into(field(tapped, QDoubleSpinBox, "Length in beats"), "20")
    assert len(editor.project.shots) == n_shots
    assert "Tower after it has" in tapped.notice.text
    assert "cannot give" in tapped.notice.text
    tapped.shots.last_beats(20, TrimMode.OVERWRITE)
    assert len(editor.project.shots) < n_shots
    assert "Tower, bucket had no place any more" in tapped.notice.text


def test_a_fragment_in_a_folder_takes_no_song_away(window, tmp_path, qtbot):
    song = write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 40, 0.5), duration=40))
    folder = tmp_path / "clips"
    folder.mkdir()
    grey_clip(folder / "clip.mp4")
    write_sound(folder / "blip.wav", click_track([0.1], duration=0.4))
    window.files.gather([song])
    qtbot.waitUntil(lambda: any(job.topic == "song" for job in window.jobs.running), timeout=9000)
    window.files.gather([folder])
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    assert window.editor.project.song.path == str(song)
    assert len(window.editor.project.song.beats) > 60
    window.editor.open(Project(), None)
    window.files.gather([folder])
    qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=30_000)
    assert window.editor.project.song is None


def test_a_clip_of_one_picture_does_not_set_the_film(window, tmp_path, qtbot):
    scrap = grey_clip(tmp_path / "a.mp4", n_pictures=1, size=(64, 64))
    clip = grey_clip(tmp_path / "b.mp4", n_pictures=30, size=(320, 240))
    for number, path in enumerate((scrap, clip), start=1):
        window.files.gather([path])
        done = number
        qtbot.waitUntil(
            lambda done=done: len(window.editor.project.footage) == done and not window.jobs.running,
            timeout=9000,
        )
    assert (window.editor.project.width, window.editor.project.height) == (320, 240)


def test_pulses_say_that_they_are_gone(tapped):
    tapped.editor.select(PulseSelection(tapped.editor.project.pulses[-1].id))
    QTest.keyClick(tapped, Qt.Key.Key_Delete)
    assert "is gone" in tapped.notice.text
    assert all(isinstance(pulse, Pulse) and pulse.name != "taps" for pulse in tapped.editor.project.pulses)


def test_a_place_that_is_typed_is_gone_to(tapped):
    editor = tapped.editor
    for text, frame in (("9", None), ("0:10", 300), ("f 123", 123)):
        QTest.keyClick(tapped, Qt.Key.Key_G, CTRL)
        go_to = field(tapped, QLineEdit, "Go to")
        QTest.keyClicks(go_to, text)
        QTest.keyClick(go_to, Qt.Key.Key_Return)
        assert frame is None or editor.playhead == frame
        assert not go_to.isVisible()
    QTest.keyClick(tapped, Qt.Key.Key_G, CTRL)
    QTest.keyClicks(go_to, "99")
    QTest.keyClick(go_to, Qt.Key.Key_Return)
    assert "There is no bar 99: they go from 1 to 14" in tapped.notice.text
    QTest.keyClick(go_to, Qt.Key.Key_Escape)
    assert editor.playhead == 123


def test_while_listening_nothing_is_told_as_the_result(window, tmp_path, qtbot):
    song = write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 40, 0.5), duration=40))
    told = []
    window.editor.song_changed.connect(lambda: told.append(window.bench.song._facts["Beats"].text()))
    window.files.gather([song])
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    window.bench.refresh()
    assert not any("no beat was heard" in text for text in told)
    assert not window.editor.is_listening
    assert window.bench.song._facts["Beats"].text().startswith(str(len(window.editor.project.song.beats)))


def test_what_was_at_work_for_another_project_does_not_come_into_this_one(window, tmp_path, qtbot):
    song = write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 40, 0.5), duration=40))
    clip = grey_clip(tmp_path / "clip.mp4")
    window.files.gather([song])
    qtbot.waitUntil(lambda: window.jobs.is_running("song"), timeout=9000)
    window.files.gather([clip])
    window.editor.open(Project(name="other"), None)
    qtbot.wait(1500)  # for what would come: nothing tells that nothing does
    assert window.editor.project == Project(name="other")
    assert not window.editor.is_listening
    assert window.editor.heard is None
