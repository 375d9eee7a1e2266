"""A rough cut in one step: a song and clips become a film, which follows the sliders."""

import numpy as np
import pytest
from hands import press
from helpers import click_track, grey_clip, write_sound
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from epiphane.desk.bench.rough_cut import RoughCutBench
from epiphane.document.project import Project
from epiphane.edits.song.song import lock_song


@pytest.fixture
def media(tmp_path):
    """Return a song of forty seconds that gets loud half-way, and two clips."""
    sound = click_track(np.arange(0.5, 39.6, 0.5), duration=40)
    sound[: 20 * 44_100] *= 0.1
    clips = [grey_clip(tmp_path / f"clip{n}.mp4", n_pictures=120, level=60 * n) for n in (1, 2)]
    return write_sound(tmp_path / "song.wav", sound), clips


def test_a_song_and_clips_become_a_film_in_one_step_and_back(window, qtbot, media, monkeypatch):
    song, clips = media
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(song), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(clip) for clip in clips], ""))
    QTest.keySequence(window, QKeySequence("Ctrl+Shift+R"))
    editor, desk = window.editor, window.rough_cut
    qtbot.waitUntil(lambda: bool(editor.project.shots), timeout=20_000)
    first = editor.project
    assert (first.shots[0].start, first.shots[-1].end) == (0, first.n_frames)
    assert first.song.duration == pytest.approx(30, abs=1)
    assert first.lanes and all(lane.is_dressed for lane in first.lanes)
    page = window.bench.findChild(RoughCutBench)
    assert page.isVisible()

    press(page, "15")
    assert editor.project.song.duration == pytest.approx(15, abs=1)
    assert [one.seconds for one in desk.stretches] == pytest.approx([15, 15, 15], abs=1)
    begins = editor.project.song.start
    press(page, "2")
    assert editor.project.song.start != begins
    n_shots = len(editor.project.shots)
    desk.change(pace=1.0)
    assert len(editor.project.shots) > n_shots
    lanes = editor.project.stack
    press(page, "Another one")
    assert editor.project.stack != lanes
    press(page, "all")
    assert editor.project.song.duration == pytest.approx(40, abs=0.1)
    while editor.project.shots:
        editor.undo()
    assert editor.project.song.duration == pytest.approx(40, abs=0.1)
    before = editor.project
    press(page, "30")  # there is no cut any more that would follow
    assert editor.project is before and not desk.is_made
    press(page, "Make it")
    assert editor.project.song.duration == pytest.approx(30, abs=1)


def test_a_locked_song_is_left_alone_and_nothing_is_made_of_a_song_that_was_not_chosen(demo, monkeypatch):
    demo.editor.apply(lambda p: lock_song(p, is_locked=True), "lock")
    before = demo.editor.project
    demo.rough_cut.begin()
    demo.rough_cut.change(seconds=10)
    assert len(demo.rough_cut.stretches) == 3
    demo.rough_cut.make()
    demo.rough_cut.take()
    assert demo.editor.project == before
    assert "locked" in demo.notice.text
    demo.editor.open(Project(), None)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: asked.append(1) or ([], ""))
    demo.rough_cut.begin()
    assert (demo.editor.project, asked) == (Project(), [])


def test_a_stretch_is_looped_before_it_is_taken_and_can_be_taken_alone(demo):
    before = demo.editor.project
    demo.rough_cut.begin()  # there are shots: nothing is made unasked
    page = demo.bench.findChild(RoughCutBench)
    assert demo.editor.project is before
    press(page, "10")
    press(page, "2")
    found, rate = demo.rough_cut.stretches[1], before.rate
    assert demo.playback.loop == (round(found.start * rate), round(found.end * rate))
    assert demo.editor.playhead == demo.playback.loop[0]
    press(page, "Take the stretch alone")
    song = demo.editor.project.song
    assert (song.start, song.duration) == pytest.approx((found.start, found.seconds), abs=1e-3)
    assert (demo.playback.loop, song.fade_out > 0) == (None, True)
    demo.editor.undo()
    assert demo.editor.project == before
    demo.editor.open(type(before)(), None)
    demo.rough_cut.make()
    assert "no song" in demo.notice.text.lower()
