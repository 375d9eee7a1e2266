"""Bad files, lost files and crashes: one clear sentence, and nothing is lost."""

import re
import shutil
import zipfile
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pytest
from hands import field, press, type_into
from helpers import click_track, grey_clip, write_clip, write_sound
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDoubleSpinBox

from epiphane.document.ids import FootageId
from epiphane.document.project import Project, with_lanes
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import add_lane, change_lane
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.shots import lay_in_row
from epiphane.files.project import load_project, save_project
from epiphane.interchange.declare import writer_for
from epiphane.media.probe import probe_footage


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
        (lambda text: re.sub(rb'"version": \d+', b'"version": 99', text, count=1), "newer Epiphane"),
        (lambda text: text.replace(b'"depth": 1.0', b'"depth": 3.0', 1), "$.stack[0].depth"),
        (lambda _: b"[]", "not an Epiphane project"),
    ],
    ids=["cut in half", "newer", "out of range", "something else"],
)
def test_a_bad_project_is_refused_and_what_is_open_stays(window, tmp_path, qtbot, change, words):
    window.files.open_demo()
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.7), "depth")
    here = window.editor.project
    path = tmp_path / "bad.epiphane"
    save_project(with_lanes(here, lanes=(replace(here.lanes[0], depth=1.0),)), path)
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


def after_a_power_cut(dead, tmp_path, make_window):
    """Return another window, on a disk as it is now: the one that wrote to it is dead."""
    dead.editor._journal.abandon()
    shutil.copytree(tmp_path / "journals", tmp_path / "left")
    return make_window("left")


def changed_demo(window, path=None):
    """Open the demo, save it if there is a path, change it, and return it."""
    window.files.open_demo()
    if path is not None:
        window.files.save_as(path)
    lane = window.editor.project.lanes[0].id
    for depth in (0.9, 0.6):
        window.editor.apply(lambda p, depth=depth: change_lane(p, lane, depth=depth), "depth")
    return window.editor.project


def test_a_crash_loses_nothing(make_window, tmp_path):
    path = tmp_path / "edit.epiphane"
    first = make_window()
    lost = changed_demo(first, path)
    first.editor.apply(lambda p: add_lane(p, "zoom", p.pulses[0].id), "lane")
    first.editor.undo()
    second = after_a_power_cut(first, tmp_path, make_window)
    second.files.open_path(path)
    assert second.editor.project.lanes[0].depth == 1.0
    assert "4 unsaved edits of this project" in second.recovery_offer.text
    press(second.recovery_offer, "Recover")
    assert second.editor.project == lost
    assert second.recovery_offer.text == ""
    second.editor.undo()
    assert second.editor.project.lanes[0].depth == 1.0


def test_lost_work_is_kept_until_it_is_answered(make_window, tmp_path, answers):
    path = tmp_path / "edit.epiphane"
    first = make_window()
    lost = changed_demo(first, path)
    window = after_a_power_cut(first, tmp_path, make_window)
    window.files.open_path(path)
    window.editor.apply(lambda p: add_lane(p, "zoom", p.pulses[0].id), "lane")
    assert window.files.save()
    window.notice.say("something else", False)
    assert "unsaved edits" in window.recovery_offer.text
    window.files.new()
    window.actions_by_id["lost_work"].trigger()
    page = window.bench.lost_work
    assert page.isVisible()
    press(page, "Recover")
    assert (window.editor.path, window.editor.project) == (path, lost)
    assert window.recovery.works == ()
    window.actions_by_id["lost_work"].trigger()
    assert "No session has left unsaved work" in window.notice.text


def test_untitled_work_is_offered_whatever_is_opened_first(make_window, tmp_path):
    first = make_window()
    lost = changed_demo(first)
    window = after_a_power_cut(first, tmp_path, make_window)
    window.recovery.look()
    assert "A session ended without saving" in window.recovery_offer.text
    window.files.open_demo()
    assert "A session ended without saving" in window.recovery_offer.text
    press(window.recovery_offer, "Recover")
    assert (window.editor.project, window.editor.path) == (lost, None)
    assert window.editor.is_changed


def test_of_two_windows_one_has_the_project_and_the_other_may_have_a_copy(make_window, tmp_path, answers):
    path = tmp_path / "edit.epiphane"
    first, second = make_window(), make_window()
    mine = changed_demo(first, path)
    answers.append("Cancel")
    second.files.open_path(path)
    assert second.editor.path is None
    assert second.editor.project.lanes == ()
    answers.append("Open a copy")
    second.files.open_path(path)
    assert (second.editor.path, second.editor.title) == (None, "edit copy")
    assert not second.files.save_as(path)
    assert "open in another window" in second.notice.text
    assert first.files.save()
    assert load_project(path) == mine
    first.files.new()
    assert second.files.save_as(path)


def test_what_others_have_made_of_a_file_is_not_written_over_unasked(window, tmp_path, answers, monkeypatch):
    path, elsewhere = tmp_path / "edit.epiphane", tmp_path / "mine.epiphane"
    mine = changed_demo(window, path)
    theirs = replace(mine, name="theirs")
    save_project(theirs, path)
    answers.append("Cancel")
    assert not window.files.save()
    assert load_project(path) == theirs
    monkeypatch.setattr("epiphane.desk.look.asking.ask_new_file", lambda *_: elsewhere)
    answers.append("Save as…")
    assert window.files.save()
    assert (load_project(path), load_project(elsewhere)) == (theirs, mine)
    save_project(theirs, elsewhere)
    answers.append("Write over them")
    assert window.files.save()
    assert load_project(elsewhere) == mine


def test_a_journal_that_cannot_be_written_is_said_once(window, tmp_path):
    window.files.open_demo()
    (tmp_path / "journals").mkdir(exist_ok=True)
    (tmp_path / "journals" / "unsaved").write_text("in the way")
    lane = window.editor.project.lanes[0].id
    window.editor.apply(lambda p: change_lane(p, lane, depth=0.5), "depth")
    assert "would be lost in a crash" in window.notice.text
    window.notice.hide()
    window.editor.apply(lambda p: change_lane(p, lane, depth=0.4), "depth")
    assert window.notice.text == ""
    (tmp_path / "journals" / "unsaved").unlink()
    window.editor.apply(lambda p: change_lane(p, lane, depth=0.3), "depth")
    assert not window.editor.is_journal_failing


@pytest.mark.parametrize("answer", ["Read them", "Leave them out", "Cancel"])
def test_a_project_that_reads_elsewhere_is_asked_about_once(window, tmp_path, answers, answer, qtbot):
    private, project = tmp_path / "private", tmp_path / "from a stranger" / "edit.epiphane"
    private.mkdir()
    project.parent.mkdir()
    clip = grey_clip(private / "clip.mp4", n_pictures=30)
    facts = [probe_footage(clip)]
    save_project(lay_in_row(add_footage(Project(), facts), [FootageId(1)]), project)
    answers.append(answer)
    is_open = window.files.open_path(project)
    assert is_open == (answer != "Cancel")
    if not is_open:
        return
    with qtbot.waitSignal(window.playback.shown, timeout=5000) as shown:
        window.playback.refresh()
    is_grey = np.ptp(shown.args[0][20:-20, 20:-20]) < 12
    assert is_grey == (answer == "Read them")
    if answer == "Leave them out":
        qtbot.waitUntil(lambda: "was not allowed to read" in window.notice.text, timeout=5000)
        answers.append("Leave them out")
    window.files.open_path(project)  # what was allowed is not asked again
    assert answers == []


@pytest.mark.parametrize("answer", ["Read them", "Cancel"])
def test_a_timeline_that_shows_files_elsewhere_is_asked_about_before_they_are_opened(
    window, tmp_path, answers, answer, qtbot, monkeypatch
):
    clip = tmp_path / "private" / "clip.mp4"
    clip.parent.mkdir()
    project = lay_in_row(
        add_footage(Project(), [probe_footage(grey_clip(clip, n_pictures=30))]), [FootageId(1)]
    )
    timeline = tmp_path / "from a stranger" / "cut.otio"
    timeline.parent.mkdir()
    made = otio.adapters.read_from_string(writer_for(timeline).write(project).decode(), "otio_json")
    made.metadata.clear()  # as of another program
    otio.adapters.write_to_file(made, str(timeline))
    opened = []
    monkeypatch.setattr(
        "epiphane.interchange.timeline.probe_footage", lambda path: opened.append(path) or probe_footage(path)
    )
    answers.append(answer)
    window.files.gather([timeline])
    qtbot.waitUntil(lambda: answers == [] and not window.jobs.running, timeout=30_000)
    assert len(window.editor.project.shots) == bool(opened) == (answer == "Read them")
    if answer == "Read them":
        window.editor.undo()
        window.files.gather([timeline])  # what was allowed is not asked again
        qtbot.waitUntil(lambda: len(window.editor.project.shots) == 1, timeout=30_000)


def test_unsaved_work_is_asked_about_once(window, tmp_path, answers):
    window.files.open_demo()
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.3), "depth")
    answers.append("Cancel")
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project.lanes[0].depth == 0.3
    answers.append("Discard")
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project.lanes == ()
    window.files.open_demo()  # nothing to lose: nothing is asked
    window.editor.apply(lambda p: change_lane(p, p.lanes[0].id, depth=0.3), "depth")
    window.editor.path = tmp_path / "edit.epiphane"
    answers.append("Save")
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert (tmp_path / "edit.epiphane").exists()
    assert answers == []


def test_an_effect_needs_a_song(window, tmp_path, qtbot):
    gather(window, grey_clip(tmp_path / "grey.mp4"), qtbot=qtbot)
    window.lanes.add("flash")
    assert window.notice.text == "An effect fires on the beats of a song: open a song first."
    assert window.editor.project.lanes == ()


def test_all_that_was_not_taken_in_is_listed_until_it_is_closed(window, tmp_path, qtbot):
    grey_clip(tmp_path / "good.mp4")
    for number in range(12):
        (tmp_path / f"broken {number}.mp4").write_bytes(b"no film" * (number + 1))
    gather(window, tmp_path, qtbot=qtbot)
    assert len(window.editor.project.footage) == 1
    window.editor.said.emit("something else", True)
    assert all(f"broken {number}.mp4 is damaged" in window.left_out.text for number in range(12))
    assert window.left_out.isVisible()
    window.left_out.clear()
    assert window.left_out.text == ""
    assert not window.left_out.isVisible()


def test_a_problem_is_reported(demo, tmp_path, monkeypatch):
    monkeypatch.setattr("epiphane.desk.shell.report.ask_new_file", lambda *_: tmp_path / "report.zip")
    QTest.keyClick(demo, Qt.Key.Key_F12)
    with zipfile.ZipFile(tmp_path / "report.zip") as packed:
        facts = packed.read("versions.txt").decode()
    assert f"shots: {len(demo.editor.project.shots)}" in facts and "qt: 6" in facts
    assert not any(Path(one.path).stem in facts for one in demo.editor.project.footage)


def test_a_range_is_exported(demo, tmp_path, qtbot):
    demo.bench.open_export()
    bench = demo.bench.export
    bench.set_path(tmp_path / "part.mp4")
    type_into(field(demo, QDoubleSpinBox, "From"), "2")
    type_into(field(demo, QDoubleSpinBox, "To"), "1")
    bench.start()
    assert "The range has no length" in bench.state_text()
    type_into(field(demo, QDoubleSpinBox, "To"), "3.5")
    bench.start()
    qtbot.waitUntil(lambda: not demo.exports.is_busy, timeout=60_000)
    assert probe_footage(tmp_path / "part.mp4").duration == pytest.approx(1.5, abs=1e-6)
    press(bench, "All of it")
    assert field(demo, QDoubleSpinBox, "To").value() == 30
