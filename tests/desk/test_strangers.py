"""Projects of strangers in the real window: nothing they say of themselves ends it or writes anywhere."""

import os

import pytest
from fuzzing.mutations import mutated_json, seeds
from helpers import grey_clip
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from epiphane.demo.project import open_basic_demo
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
)
from epiphane.desk.engine import jobs as jobs_module
from epiphane.desk.look import theme
from epiphane.document.project import Project
from epiphane.errors import EpiphaneError
from epiphane.files.project import decode_project, encode_project, save_project


def everything(project):
    """Return all that can be selected of a project."""
    yield from (LaneSelection(lane.id) for lane in project.lanes[:4])
    yield from (PulseSelection(pulse.id) for pulse in project.pulses[:4])
    yield from (ShotSelection(shot.id) for shot in project.shots[:4])
    yield from (FootageSelection(one.id) for one in project.footage[:3])
    yield BeatSelection(0)
    yield from (FillingSelection(), ExportSelection(), SongSelection())
    for lane in project.lanes[:2]:
        hits = [override.hit for override in lane.overrides[:2]] or [0.0]
        yield CuesSelection(lane=lane.id, cues=frozenset((lane.id, hit) for hit in hits))


def test_harmed_projects_are_shown_or_refused_and_the_window_goes_on(window, tmp_path, monkeypatch):
    monkeypatch.setattr("epiphane.desk.look.asking.ask", lambda _w, _title, _text, answers: answers[1])
    text = encode_project(open_basic_demo())
    n_opened = 0
    for seed in seeds(54):
        path = tmp_path / "strange.epiphane"
        path.write_bytes(mutated_json(text, seed))
        try:
            decode_project(path.read_bytes(), where="it")
        except EpiphaneError:
            continue
        if not window.files.open_path(path):
            continue
        n_opened += 1
        for selection in everything(window.editor.project):
            window.editor.select(selection)
            QApplication.processEvents()
        QTest.mouseClick(window.score.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
        before = window.editor.project
        window.score.set_bars_per_line(8 if seed % 2 else 2)
        assert window.editor.project == before, seed
    assert n_opened > 3
    assert not window.editor.is_changed


def test_a_project_decides_nowhere_where_something_is_written(window, tmp_path, qtbot):
    clip = grey_clip(tmp_path / "clip.mp4", n_pictures=40, size=(1280, 720))
    window.files.gather([clip])
    qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=9000)
    project = window.editor.project
    for strange in ("../../../outside", str(tmp_path / "outside"), "", "A" * 32, "0" * 31):
        path = tmp_path / "edit.epiphane"
        save_project(replace(project, footage=(replace(project.footage[0], fingerprint=strange),)), path)
        assert not window.files.open_path(path)
        assert "$.footage[0].fingerprint" in window.notice.text
        with pytest.raises(EpiphaneError):
            window.proxies.make(clip, strange)
    assert list(tmp_path.rglob("outside*")) == []


def test_a_journal_beside_a_strangers_project_is_neither_read_nor_written(window, tmp_path):
    target, path = tmp_path / "target", tmp_path / "edit.epiphane"
    target.write_text("mine")
    save_project(Project(name="strange"), path)
    (tmp_path / ".edit.epiphane.journal").symlink_to(target)
    assert window.files.open_path(path)
    window.editor.apply(lambda p: replace(p, name="edited"), "name")
    assert target.read_text() == "mine"
    assert sorted(one.name for one in tmp_path.iterdir() if one.name.startswith(".")) == [
        ".edit.epiphane.journal"
    ]


def test_names_are_shown_as_they_are(window, tmp_path, qtbot):
    bold = "<img src=/etc/x><b>bold</b>"
    clip = grey_clip(tmp_path / "a.mp4")
    window.files.gather([clip])
    qtbot.waitUntil(lambda: bool(window.editor.project.footage) and not window.jobs.running, timeout=9000)
    window.editor.apply(
        lambda p: replace(p, name=bold, footage=(replace(p.footage[0], name=bold),)), "naming"
    )
    window.editor.select(FootageSelection(window.editor.project.footage[0].id))
    window.editor.said.emit(bold, True)
    labels = [one for one in window.findChildren(QLabel) if bold in one.text()]
    assert len(labels) >= 2
    assert all(one.textFormat() is Qt.TextFormat.PlainText for one in labels)
    assert "<img" not in theme.plain(bold)
    assert theme.plain("plain & simple") == "plain & simple"


def test_a_thread_that_hangs_does_not_keep_the_window_open(make_window, monkeypatch, qtbot):
    monkeypatch.setattr(jobs_module, "PATIENCE_SECONDS", 0.2)
    window = make_window()
    heard, told = os.pipe()
    window.jobs.start("hang", "Reading a disk that is gone", lambda _: os.read(heard, 1), done=lambda _: None)
    qtbot.waitUntil(lambda: bool(window.jobs.running))
    assert window.close()
    assert jobs_module.has_abandoned()
    os.write(told, b"x")
    qtbot.waitUntil(lambda: not jobs_module.has_abandoned(), timeout=5000)
    jobs_module.abandoned.clear()
