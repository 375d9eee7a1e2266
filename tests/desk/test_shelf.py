"""Footage in the real window: gathered, skimmed, its moments set, the song filled, shots changed."""

from pathlib import Path

import numpy as np
import pytest
from helpers import HandClock, click_track, grey_clip, numbered_picture, write_clip, write_sound
from msgspec.structs import replace
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QPushButton

from epiphane.desk.control.drag import carry_footage
from epiphane.desk.control.selection import FillingSelection, ShotSelection
from epiphane.document.filling import Order
from epiphane.document.footage import Flaw, FootageKind, Moment, MomentCause, Passage, Take
from epiphane.document.timeline import Move, cut_of
from epiphane.edits.footage import learn_of_footage
from epiphane.facts.source_time import source_seconds
from epiphane.files.project import load_project
from epiphane.media.search import FoundInClip
from epiphane.timing import frame_at, frame_start

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SHIFT, CTRL, ALT = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A song, three clips whose pictures tell their number, a still, a sound and a broken file."""
    folder = tmp_path_factory.mktemp("gathered")
    write_sound(folder / "song.wav", click_track(np.arange(0.5, 16, 0.5), duration=16.5))
    for name in "abc":
        pictures = [numbered_picture(n, (320, 180)) for n in range(120)]
        write_clip(folder / f"{name}.mp4", pictures, sound=click_track([2.0], duration=4.0))
    write_clip(folder / "b.mp4", [numbered_picture(500 + n, (320, 180)) for n in range(120)])
    write_clip(folder / "c.mp4", [numbered_picture(900 + n, (320, 180)) for n in range(90)])
    Image.new("RGB", (640, 480), (200, 90, 30)).save(folder / "still.png")
    (folder / "broken.mov").write_bytes(b"no film")
    return folder


@pytest.fixture
def gathered(window, folder, qtbot):
    """A window into which the folder was dropped, with a moment proposed in each clip."""
    window.files.gather([folder])
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=60_000)
    moment = Moment(2.0, 0.9, MomentCause.MOVEMENT)
    for one in window.editor.project.footage:
        if one.kind is FootageKind.VIDEO:
            window.editor.apply_everywhere(
                lambda p, one=one: learn_of_footage(p, one.fingerprint, FoundInClip((moment,)))
            )
    return window


def named(window, name):
    return next(f for f in window.editor.project.footage if f.path.endswith(name))


def field(window, kind, name):
    found = [
        one for one in window.bench.findChildren(kind) if one.accessibleName() == name and one.isVisible()
    ]
    assert len(found) == 1, name
    return found[0]


def pick(window, name, text):
    """Choose an option of a field on the bench with the keyboard."""
    box = field(window, QComboBox, name)
    box.setFocus()
    for _ in range(box.count()):
        QTest.keyClick(box, Qt.Key.Key_Up)
    while box.currentText() != text:
        before = box.currentIndex()
        QTest.keyClick(box, Qt.Key.Key_Down)
        assert box.currentIndex() > before, text


def choose_tile(window, name, modifier=NONE):
    tiles = window.shelf.footage.tiles
    QTest.mouseClick(tiles.viewport(), LEFT, modifier, tiles.point_of(named(window, name).id))


def key(window, code, modifier=NONE):
    QTest.keyClick(window, code, modifier)


def shown_names(window):
    tiles = window.shelf.footage.tiles
    return [tiles.item(n).text() for n in range(tiles.count())]


def show_group(window, text):
    groups = window.shelf.footage.groups
    row = next(n for n in range(groups.count()) if groups.item(n).text() == text)
    QTest.mouseClick(groups.viewport(), LEFT, NONE, groups.visualItemRect(groups.item(row)).center())


def test_a_folder_dropped_fills_the_shelf_and_tells_what_is_broken(gathered):
    assert shown_names(gathered) == ["a", "b", "c", "still"]
    assert gathered.editor.project.song is not None
    assert "broken.mov is damaged" in gathered.notice.text
    project = gathered.editor.project
    assert (project.width, project.height, project.rate) == (320, 180, 30)


def gathered_folder(window):
    return Path(window.editor.project.footage[0].path).parent


def test_the_same_files_again_are_told_and_not_taken(gathered, qtbot):
    n_before = len(gathered.editor.project.footage)
    gathered.files.gather([gathered_folder(gathered) / "a.mp4"])
    qtbot.waitUntil(lambda: not gathered.jobs.running, timeout=30_000)
    assert len(gathered.editor.project.footage) == n_before
    assert "a.mp4 is on the shelf already" in gathered.notice.text


def test_footage_is_searched_sorted_and_grouped(gathered):
    key(gathered, Qt.Key.Key_F, CTRL)
    QTest.keyClicks(gathered.shelf.search, "still")
    assert shown_names(gathered) == ["still"]
    gathered.shelf.search.clear()
    gathered.shelf.footage.sort("Length")
    assert shown_names(gathered) == ["a", "b", "c", "still"]
    gathered.shelf.footage.sort("Size")
    assert shown_names(gathered)[0] == "still"
    show_group(gathered, "Stills")
    assert shown_names(gathered) == ["still"]
    show_group(gathered, "All")
    choose_tile(gathered, "b.mp4")
    box = field(gathered, QComboBox, "Group")
    box.setFocus()
    QTest.keyClicks(box.lineEdit(), "bridges")
    QTest.keyClick(box.lineEdit(), Qt.Key.Key_Return)
    assert named(gathered, "b.mp4").group == "bridges"
    groups = gathered.shelf.footage.groups
    row = next(n for n in range(groups.count()) if groups.item(n).text() == "bridges")
    at = QPointF(groups.visualItemRect(groups.item(row)).center())
    drop_on(groups, [named(gathered, "c.mp4").id], at)
    show_group(gathered, "bridges")
    assert shown_names(gathered) == ["b", "c"]
    key(gathered, Qt.Key.Key_Z, CTRL)
    assert shown_names(gathered) == ["b"]


def drop_on(widget, ids, at):
    data = carry_footage(ids)
    action = Qt.DropAction.CopyAction
    event = QDropEvent(at, action, data, LEFT, NONE)
    widget.dropEvent(event)


def test_pointing_at_a_clip_skims_it_and_leaving_shows_the_project_again(gathered, qtbot):
    tiles, seen = gathered.shelf.footage.tiles, []
    gathered.skimmer.drawn.connect(seen.append)
    for share in (0.25, 0.75):
        QTest.mouseMove(tiles.viewport(), tiles.point_of(named(gathered, "b.mp4").id, share))
        qtbot.waitUntil(lambda share=share: bool(seen) and abs(seen[-1].seconds - 4 * share) < 0.1)
        assert gathered.picture.has_guest
    QTest.mouseMove(tiles.viewport(), QPoint(tiles.width() - 12, 80))
    assert not gathered.picture.has_guest


def test_moments_are_set_accepted_moved_and_removed_by_keys(gathered, qtbot):
    choose_tile(gathered, "a.mp4")
    assert gathered.clip_player.seconds == 2.0  # it opens on its best moment

    def moments():
        return [(round(m.time * 30), m.is_accepted) for m in named(gathered, "a.mp4").moments]

    key(gathered, Qt.Key.Key_Y)
    assert moments() == [(60, True)]
    for _ in range(3):
        key(gathered, Qt.Key.Key_Right)
    key(gathered, Qt.Key.Key_N)
    assert moments() == [(60, True), (63, True)]
    key(gathered, Qt.Key.Key_Right, ALT)
    assert moments() == [(60, True), (64, True)]
    key(gathered, Qt.Key.Key_Comma)
    assert round(gathered.clip_player.seconds * 30) == 60
    key(gathered, Qt.Key.Key_N, SHIFT)
    assert moments() == [(64, True)]
    key(gathered, Qt.Key.Key_Z, CTRL)
    assert moments() == [(60, True), (64, True)]
    key(gathered, Qt.Key.Key_BracketRight)
    assert round(named(gathered, "a.mp4").end * 30) == 61
    key(gathered, Qt.Key.Key_Left)
    key(gathered, Qt.Key.Key_BracketLeft)
    assert round(named(gathered, "a.mp4").used_from * 30) == 59


def test_pins_and_ends_are_dragged_on_the_strip(gathered):
    choose_tile(gathered, "a.mp4")
    strip = gathered.bench.footage.strip

    def drag(x0, x1, y):
        QTest.mousePress(strip, LEFT, NONE, QPoint(round(x0), y))
        for step in range(1, 6):
            QTest.mouseMove(strip, QPoint(round(x0 + (x1 - x0) * step / 5), y))
        QTest.mouseRelease(strip, LEFT, NONE, QPoint(round(x1), y))

    drag(strip.x_at(2.0), strip.x_at(3.0), 6)
    (moment,) = named(gathered, "a.mp4").moments
    assert abs(moment.time - 3.0) < 0.06
    assert moment.is_accepted
    drag(strip.x_at(0.0), strip.x_at(1.0), 50)
    drag(strip.x_at(4.0) - 1, strip.x_at(3.5), 50)
    assert abs(named(gathered, "a.mp4").used_from - 1.0) < 0.06
    assert abs(named(gathered, "a.mp4").end - 3.5) < 0.06
    QTest.mouseDClick(strip, LEFT, NONE, QPoint(round(strip.x_at(1.5)), 50))
    assert len(named(gathered, "a.mp4").moments) == 2
    for _ in range(4):
        key(gathered, Qt.Key.Key_Z, CTRL)
    assert named(gathered, "a.mp4").moments[0].time == 2.0  # each drag is one step of undo


def test_takes_are_left_out_and_used_again_and_damage_is_told(gathered):
    footage = named(gathered, "a.mp4")
    found = FoundInClip(
        takes=(Take(0.0), Take(1.5), Take(3.0)),
        passages=(Passage(0.0), Passage(1.5, Flaw.BLACK)),
        damaged=0.6,
    )
    gathered.editor.apply_everywhere(lambda p: learn_of_footage(p, footage.fingerprint, found))
    choose_tile(gathered, "a.mp4")
    strip = gathered.bench.footage.strip
    below = QPoint(round(strip.x_at(2.0)), strip.height() - 6)

    def used():
        return [take.is_used for take in named(gathered, "a.mp4").takes]

    QTest.mouseClick(strip, LEFT, NONE, below)
    assert used() == [True, False, True]
    key(gathered, Qt.Key.Key_X)  # the clip is in its first take
    assert used() == [False, False, True]
    gathered.clip_player.go_to(3.5)
    told = []
    gathered.editor.said.connect(lambda text, _: told.append(text))
    key(gathered, Qt.Key.Key_X)
    assert used() == [False, False, True]  # one must be left, and it is said
    assert "at least one take" in told[-1]
    QTest.mouseMove(strip, QPoint(round(strip.x_at(2.5)), 40))
    assert "black" in strip.toolTip()
    key(gathered, Qt.Key.Key_Z, CTRL)
    assert used() == [True, False, True]
    gathered.editor.apply_everywhere(lambda p: learn_of_footage(p, footage.fingerprint, found))
    assert used() == [True, False, True]  # looked through again, it stays as chosen
    tiles = gathered.shelf.footage.tiles
    item = next(item for n in range(tiles.count()) if (item := tiles.item(n)).text() == "a")
    assert "60 % damaged" in item.toolTip() and "Most of its pictures" in item.toolTip()


def test_a_moment_is_set_while_the_clip_plays(make_window, folder, qtbot, monkeypatch):
    clock = HandClock()
    monkeypatch.setattr("epiphane.desk.control.playback.open_sound", lambda: clock)
    window = make_window()
    window.files.gather([folder / "a.mp4"])
    qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=30_000)
    choose_tile(window, "a.mp4")
    key(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: window.clip_player.is_playing, timeout=10_000)
    clock.heard = 1.51
    qtbot.waitUntil(lambda: window.clip_player.seconds > 1.5)
    key(window, Qt.Key.Key_N)
    assert [round(m.time * 30) for m in named(window, "a.mp4").moments] == [45]
    clock.heard = 9.0
    qtbot.waitUntil(lambda: not window.clip_player.is_playing)


def test_moments_are_looked_for_and_proxies_made_in_the_background(make_window, folder, qtbot):
    window = make_window()
    window.footage.prepares = True
    window.files.gather([folder / "a.mp4", folder / "still.png"])
    qtbot.waitUntil(
        lambda: (
            bool(window.editor.project.footage)
            and window.proxies.find(named(window, "a.mp4").fingerprint) is not None
            and not window.jobs.running
        ),
        timeout=60_000,
    )
    footage = named(window, "a.mp4")
    assert footage.is_searched
    assert footage.moments and footage.takes and footage.passages
    assert window.editor.history.undo_label == "import of footage"
    key(window, Qt.Key.Key_Z, CTRL)
    key(window, Qt.Key.Key_Z, CTRL | SHIFT)
    assert named(window, "a.mp4").is_searched  # what was found is known at every step


def fill(window):
    key(window, Qt.Key.Key_L, CTRL)
    assert isinstance(window.editor.selection, FillingSelection)


def is_whole(project):
    ends = [shot.start + shot.n_frames for shot in project.shots]
    return [0, *ends[:-1]] == [s.start for s in project.shots] and ends[-1] == project.n_frames


def test_the_song_is_filled_in_one_step_and_filled_again_with_every_change(gathered):
    fill(gathered)
    project = gathered.editor.project
    assert is_whole(project)
    assert {shot.footage for shot in project.shots} == {one.id for one in project.footage}
    still = next(s for s in project.shots if s.footage == named(gathered, "still.png").id)
    assert still.transform.move is Move.PUSH
    pick(gathered, "Order of clips", "Best moments on best hits")
    assert gathered.editor.project.filling.order is Order.MOMENTS
    box = field(gathered, QDoubleSpinBox, "A cut every")
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box.lineEdit(), "2")
    QTest.keyClick(box, Qt.Key.Key_Return)
    assert len(gathered.editor.project.shots) > 1.5 * len(project.shots)
    pick(gathered, "How stills move", "Drift")
    lands = next(b for b in gathered.bench.findChildren(QCheckBox) if b.text() == "Moments land on hits")
    assert any(shot.pin for shot in gathered.editor.project.shots)
    QTest.mouseClick(lands, LEFT, NONE, QPoint(8, lands.height() // 2))
    assert not any(shot.pin for shot in gathered.editor.project.shots)
    assert is_whole(gathered.editor.project)
    choose_tile(gathered, "a.mp4")
    choose_tile(gathered, "c.mp4", CTRL)
    fill(gathered)
    chosen = next(b for b in gathered.bench.findChildren(QPushButton) if b.text() == "Selected")
    QTest.mouseClick(chosen, LEFT)
    ids = {named(gathered, "a.mp4").id, named(gathered, "c.mp4").id}
    assert {shot.footage for shot in gathered.editor.project.shots} == ids


def click_shot(window, shot):
    layout, rate = window.score.layout_now(), window.editor.project.rate
    seconds = frame_start(shot.start + shot.n_frames // 2, rate)
    stave = layout.stave_at(seconds)
    at = QPoint(round(layout.x_at(stave, seconds)), round(layout.shots_top(stave.top) + 12))
    bar = window.score.verticalScrollBar()
    at -= QPoint(0, bar.value())
    QTest.mouseClick(window.score.viewport(), LEFT, NONE, at)
    return at


def test_a_shot_is_landed_moved_kept_exchanged_and_taken_out(gathered):
    fill(gathered)
    editor = gathered.editor
    shot = next(s for s in editor.project.shots[1:] if s.footage == named(gathered, "a.mp4").id)
    click_shot(gathered, shot)
    assert editor.selection == ShotSelection(shot.id)
    key(gathered, Qt.Key.Key_G)
    landed = editor.chosen.shot
    hit_frame = frame_at(landed.pin.hit, editor.project.rate)
    assert editor.playhead == hit_frame
    footage = named(gathered, "a.mp4")
    assert source_seconds(landed, footage, hit_frame, editor.project.rate) == pytest.approx(2.0, abs=1e-6)
    key(gathered, Qt.Key.Key_Period, CTRL)
    assert editor.chosen.shot.start == shot.start + 15
    key(gathered, Qt.Key.Key_Comma, CTRL)
    assert editor.chosen.shot.start == shot.start
    key(gathered, Qt.Key.Key_H)
    kept = editor.chosen.shot
    gathered.bench.filling.fill(order=Order.SHUFFLED, seed=8)
    assert editor.chosen.shot == kept
    key(gathered, Qt.Key.Key_Period)
    following = editor.chosen.shot
    assert following.start > kept.start
    target = click_shot(gathered, following)
    drop_on(gathered.score, [named(gathered, "c.mp4").id], QPointF(target))
    assert editor.chosen.shot.footage == named(gathered, "c.mp4").id
    n_shots = len(editor.project.shots)
    key(gathered, Qt.Key.Key_Delete)
    assert len(editor.project.shots) == n_shots - 1
    assert is_whole(editor.project)
    assert gathered.score.tip_at(QPointF(target)).startswith("a · frame")


def test_the_clip_chosen_last_takes_the_place_of_a_shot(gathered):
    fill(gathered)
    choose_tile(gathered, "c.mp4")
    shot = gathered.editor.project.shots[2]
    click_shot(gathered, shot)
    key(gathered, Qt.Key.Key_C)
    assert gathered.editor.chosen.shot.footage == named(gathered, "c.mp4").id


def test_a_shot_is_framed_and_slowed_on_its_bench(gathered):
    fill(gathered)
    shot = next(s for s in gathered.editor.project.shots if s.footage == named(gathered, "b.mp4").id)
    click_shot(gathered, shot)
    pick(gathered, "How it fills the frame", "Fit with bars")
    pick(gathered, "How it moves", "Drift")
    for name, text in (
        ("Scale", "150"),
        ("To the right", "-10"),
        ("How far it moves", "25"),
        ("Speed", "50"),
    ):
        box = field(gathered, QDoubleSpinBox, name)
        box.setFocus()
        box.selectAll()
        QTest.keyClicks(box.lineEdit(), text)
        QTest.keyClick(box, Qt.Key.Key_Return)
    now = gathered.editor.chosen.shot
    assert (now.transform.move, now.transform.amount) == (Move.DRIFT, 0.25)
    assert (now.transform.fit.value, now.transform.scale, now.transform.x, cut_of(now).speed) == (
        "whole",
        1.5,
        -0.1,
        0.5,
    )
    press = next(b for b in gathered.bench.findChildren(QPushButton) if b.text() == "Reset" and b.isVisible())
    QTest.mouseClick(press, LEFT)
    assert gathered.editor.chosen.shot.transform == shot.transform


def test_missing_footage_is_shown_and_found_again(gathered, make_window, tmp_path, qtbot):
    fill(gathered)
    source = gathered_folder(gathered)
    work = tmp_path / "work"
    work.mkdir()
    for name in ("song.wav", "a.mp4", "b.mp4", "c.mp4", "still.png"):
        (work / name).write_bytes((source / name).read_bytes())
    for one in gathered.editor.project.footage:
        name = one.path.rsplit("/", 1)[-1]
        gathered.editor.apply(lambda p, one=one, name=name: _moved(p, one, str(work / name)), "move")
    gathered.editor.save(work / "edit.epiphane")
    away = tmp_path / "away"
    away.mkdir()
    (work / "a.mp4").rename(away / "renamed.mp4")
    (work / "b.mp4").rename(away / "b.mp4")
    gathered.close()
    window = make_window()
    window.files.open_path(work / "edit.epiphane")
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    assert "Not found: a.mp4, b.mp4" in window.notice.text
    show_group(window, "Missing")
    assert shown_names(window) == ["a", "b"]
    window.footage.find_missing(away)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=30_000)
    assert "2 of 2 missing files found" in window.notice.text
    assert window.footage.missing == frozenset()
    window.editor.save(work / "edit.epiphane")
    paths = {one.path.rsplit("/", 2)[-2] for one in load_project(work / "edit.epiphane").footage}
    assert paths == {"work", "away"}


def _moved(project, footage, path):
    footages = tuple(replace(f, path=path) if f.id == footage.id else f for f in project.footage)
    return replace(project, footage=footages)


def test_a_sound_on_the_shelf_becomes_the_song_when_it_is_taken(window, folder, tmp_path, qtbot):
    write_sound(tmp_path / "other.wav", click_track(np.arange(0.25, 8, 0.4), duration=8))
    grey_clip(tmp_path / "clip.mp4")
    window.files.gather([tmp_path, folder / "song.wav"])
    qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=30_000)
    assert window.editor.project.song is None  # two sounds: which one is meant is the editor's to say
    choose_tile(window, "other.wav")
    QTest.keyClick(window.shelf.footage.tiles, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    assert window.editor.project.song.path.endswith("other.wav")
