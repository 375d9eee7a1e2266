"""Framing in the real window: on the picture with handles, typed, and in several shapes."""

import pytest
from hands import drag, field
from helpers import read_lumas
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QComboBox

from epiphane.desk.bench.song.film import FilmFields
from epiphane.desk.control.selection import ShotSelection
from epiphane.document.timeline import Backdrop, Move, Shape

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def framed(demo, qtbot):
    """The demo with its third shot selected, the playhead a few frames into it."""
    shot = demo.editor.project.shots[2]
    demo.editor.select(ShotSelection(shot.id))
    demo.editor.go_to(shot.start + 5)
    qtbot.waitUntil(lambda: demo.frames.picture(shot.start + 5) is not None, timeout=10_000)
    return demo


def transform_of(window):
    return window.editor.chosen.shot.transform


def choose(window, name, value):
    combo = field(window, QComboBox, name)
    combo.setCurrentIndex(combo.findData(value.value))
    combo.activated.emit(combo.currentIndex())


def at(window, across, down):
    return window.picture.point_of(across, down).toPoint()


def test_a_shot_is_moved_scaled_and_turned_on_the_picture(framed):
    view = framed.picture
    drag(view, at(framed, 0.4, 0.5), at(framed, 0.65, 0.4))
    assert transform_of(framed).x == pytest.approx(0.25, abs=0.01)
    assert transform_of(framed).y == pytest.approx(-0.1, abs=0.01)
    framed.editor.undo()
    assert transform_of(framed).x == 0
    drag(view, at(framed, 0.4, 0.5), at(framed, 0.408, 0.8))
    assert transform_of(framed).x == 0  # it snaps to the middle
    framed.editor.undo()
    drag(view, at(framed, 0, 0) + QPoint(4, 4), at(framed, 0.25, 0.25))
    assert transform_of(framed).scale == pytest.approx(0.5, abs=0.03)
    knob = view.point_of(0.5, 0.25) + QPointF(0, 26)
    drag(view, knob.toPoint(), at(framed, 0.6, 0.5))
    assert transform_of(framed).rotation == 90  # a right angle is near


def test_the_nearer_of_two_framings_is_dragged_and_a_backdrop_fills_the_rest(framed):
    choose(framed, "How it moves", Move.TO_END)
    shot = framed.editor.chosen.shot
    framed.editor.go_to(shot.end - 3)
    drag(framed.picture, at(framed, 0.5, 0.5), at(framed, 0.7, 0.5))
    made = transform_of(framed)
    assert (made.x, made.end.x) == (0, pytest.approx(0.2, abs=0.02))
    choose(framed, "Behind what it leaves free", Backdrop.BLURRED)
    assert len(framed.frames.plan(shot.end - 3).root.content.nodes) == 2
    steps = [framed.frames.plan(frame) for frame in (shot.start, shot.end - 3)]
    assert steps[0] != steps[1]


def test_an_edit_goes_out_in_two_shapes_each_framed_on_its_own(framed, qtbot, tmp_path, monkeypatch):
    framed.editor.apply(lambda p: replace(p, shots=p.shots[:5]), "fewer shots")
    framed.shapes.add(9, 16)
    assert framed.editor.project.shape == Shape(720, 1280)
    qtbot.waitUntil(lambda: not framed.jobs.is_running("framing"), timeout=60_000)
    placed = {shot.transform.x for shot in framed.editor.project.shots}
    assert len(placed) > 2
    QTest.keyClick(framed, Qt.Key.Key_Z, SHIFT)
    assert framed.editor.project.shape == Shape(1280, 720)
    assert {shot.transform.x for shot in framed.editor.project.shots} == {0.0}
    film = framed.bench.song.findChild(FilmFields)
    monkeypatch.setattr("epiphane.desk.look.asking.ask_text", lambda *_: "11x7")
    film._ask_own()
    assert "even number of pixels" in framed.notice.text
    monkeypatch.setattr("epiphane.desk.look.asking.ask_text", lambda *_: "wide")
    film._ask_own()
    assert "written as 1080x1350" in framed.notice.text
    framed.bench.open_export()
    export = framed.bench.export
    next(one for one in export.findChildren(QCheckBox) if one.text() == "every shape").click()
    export.set_path(tmp_path / "film.mp4")
    export._size.activated.emit(export._size.findData("640x360"))
    export._from.show_value(0)
    export._to.show_value(0.2)
    export._keep_range()
    export.start()
    qtbot.waitUntil(lambda: not framed.exports.is_busy, timeout=60_000)
    shapes = [read_lumas(tmp_path / f"film {name}.mp4")[0][0].shape for name in ("640x360", "360x640")]
    assert shapes == [(360, 640), (640, 360)]
