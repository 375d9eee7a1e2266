"""Bad files, lost files and crashes: one clear sentence, and nothing is lost."""

import numpy as np
import pytest
from helpers import click_track, grey_clip, write_clip, write_sound
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox, QPushButton

from epiphane.files.project import save_project
from epiphane.edits.filling import fill_song
from epiphane.edits.lanes import add_lane, change_lane


def gather(window, *paths, qtbot):
    window.files.gather(paths)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=20_000)


def is_one_sentence(text):
    return text.endswith(".") and "Traceback" not in text and "Errno" not in text and len(text) < 260


def song_of(tmp_path, kind):
    path = tmp_path / f"{kind}.wav"
    if kind == "silent":
        return write_sound(path, np.zeros(96_000, np.float32))
    if kind == "short":
        return write_sound(path, click_track([0.05], duration=0.2))
    write_sound(path, click_track(np.arange(0, 8, 0.5), duration=8))
    content = path.read_bytes()
    if kind == "truncated":
        path.write_bytes(content[: len(content) // 2])
    elif kind == "nonsense":
        path.write_bytes(b"marble" * 1000)
    elif kind == "empty":
        path.write_bytes(b"")
    return path


@pytest.mark.parametrize(
    ("kind", "words", "is_taken"),
    [
        ("silent", "silent.wav is silent", True),
        ("short", "too short to have a beat", True),
        ("truncated", "breaks off after 0:03 though it says 0:08", True),
        ("nonsense", "nonsense.wav is damaged", False),
        ("empty", "empty.wav is empty", False),
    ],
)
def test_a_bad_song_gets_a_sentence_and_the_window_goes_on(window, tmp_path, qtbot, kind, words, is_taken):
    gather(window, song_of(tmp_path, kind), qtbot=qtbot)
    assert words in window.notice.text
    assert is_one_sentence(window.notice.text)
    assert (window.editor.project.song is not None) is is_taken
    gather(window, grey_clip(tmp_path / "grey.mp4"), qtbot=qtbot)
    assert len(window.editor.project.footage) == 1
    QTest.keyClick(window, Qt.Key.Key_Space)  # a song without beats plays all the same
    assert window.playback.is_playing is is_taken
    QTest.keyClick(window, Qt.Key.Key_Space)


def test_bad_clips_are_named_and_good_ones_taken(window, tmp_path, qtbot):
    good = grey_clip(tmp_path / "good.mp4")
    odd = write_clip(
        tmp_path / "dot.mkv", [np.full((1, 1, 3), 90, np.uint8)] * 3, codec="ffv1", pixels="bgr0"
    )
    broken = tmp_path / "broken.mp4"
    broken.write_bytes(good.read_bytes()[:2000])
    gather(window, good, odd, broken, tmp_path / "gone.mp4", qtbot=qtbot)
    assert [footage.path for footage in window.editor.project.footage] == [str(good), str(odd)]
    assert "broken.mp4: its pictures cannot be decoded" in window.notice.text
    assert "gone.mp4 is not there" in window.notice.text
    ids = [footage.id for footage in window.editor.project.footage]
    window.shots.lay([ids[1]])
    with qtbot.waitSignal(window.playback.shown, timeout=5000):
        window.editor.go_to(1)
        window.playback.refresh()


def test_a_clip_that_goes_away_becomes_a_placeholder(window, media, tmp_path, qtbot):
    clip = grey_clip(tmp_path / "clip.mp4", n_pictures=90)
    gather(window, media / "song.wav", clip, qtbot=qtbot)
    qtbot.waitUntil(
        lambda: window.editor.project.song is not None and not window.jobs.running, timeout=20_000
    )
    clip.unlink()
    window.shots.fill()
    qtbot.waitUntil(lambda: "clip.mp4 is not there any more" in window.notice.text, timeout=5000)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda text: text[: len(text) // 2], "damaged or cut short"),
        (lambda text: text.replace(b'"version": 4', b'"version": 99', 1), "newer Epiphane"),
        (lambda text: text.replace(b'"depth": 1.0', b'"depth": 3.0', 1), "$.lanes[0].depth"),
        (lambda _: b"[]", "not an Epiphane project"),
    ],
    ids=["cut in half", "newer", "out of range", "something else"],
)
def test_a_bad_project_is_refused_and_what_is_open_stays(window, tmp_path, qtbot, change, words):
    window.files.open_demo()
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.7), "depth")
    here = window.editor.project
    path = tmp_path / "bad.epiphane"
    save_project(replace(here, lanes=(replace(here.lanes[0], depth=1.0),)), path)
    path.write_bytes(change(path.read_bytes()))
    window.files.open_path(path)
    assert words in window.notice.text
    assert is_one_sentence(window.notice.text)
    assert window.editor.project == here
    assert window.editor.history.undo_label == "depth"


def test_a_project_with_lost_files_opens_and_names_them(window, media, tmp_path, qtbot):
    clip = grey_clip(tmp_path / "clip.mp4")
    gather(window, media / "song.wav", clip, qtbot=qtbot)
    qtbot.waitUntil(
        lambda: window.editor.project.song is not None and not window.jobs.running, timeout=20_000
    )
    window.editor.apply(fill_song, "fill")
    window.editor.save(tmp_path / "edit.epiphane")
    saved = window.editor.project
    clip.unlink()
    window.files.new()
    window.files.open_path(tmp_path / "edit.epiphane")
    assert window.notice.text.startswith("Not found: clip.mp4.")
    assert window.editor.project == saved


def test_a_crash_loses_nothing(make_window, tmp_path, qtbot):
    path = tmp_path / "edit.epiphane"
    first = make_window()
    first.files.open_demo()
    first.editor.save(path)
    lane = first.editor.project.lanes[0].id
    for depth in (0.9, 0.6):
        first.editor.apply(lambda p, depth=depth: change_lane(p, lane, depth=depth), "depth")
    lost = first.editor.project
    first.editor.apply(lambda p: add_lane(p, "zoom", p.pulses[0].id), "lane")
    first.editor.undo()
    # The machine goes down here: nothing is closed. Another window finds what was left.
    second = make_window()
    second.files.open_path(path)
    assert second.editor.project.lanes[0].depth == 1.0
    assert "unsaved edits of this project" in second.notice.text
    button = next(b for b in second.notice.findChildren(QPushButton) if b.text() == "Bring back")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert second.editor.project == lost
    second.editor.undo()
    assert second.editor.project.lanes[0].depth == 1.0


def test_unsaved_work_is_asked_about_once(window, tmp_path, answers):
    window.files.open_demo()
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.3), "depth")
    answers.append(QMessageBox.StandardButton.Cancel)
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project.lanes[0].depth == 0.3
    answers.append(QMessageBox.StandardButton.Discard)
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project.lanes == ()
    window.files.open_demo()  # nothing to lose: nothing is asked
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.3), "depth")
    window.editor.path = tmp_path / "edit.epiphane"
    answers.append(QMessageBox.StandardButton.Save)
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert (tmp_path / "edit.epiphane").exists()
    assert answers == []


def test_an_effect_needs_a_song(window, tmp_path, qtbot):
    gather(window, grey_clip(tmp_path / "grey.mp4"), qtbot=qtbot)
    window.lanes.add("flash")
    assert window.notice.text == "An effect fires on the beats of a song: open a song first."
    assert window.editor.project.lanes == ()
