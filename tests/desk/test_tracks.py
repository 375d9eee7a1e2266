"""Tracks over the shots in the real window: clips laid over, and sounds struck on hits."""

import numpy as np
import pytest
from hands import LEFT, NONE, drag, drop, field, type_into
from helpers import write_sound
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from epiphane.desk.control.drag import carry_footage
from epiphane.desk.control.selection import ItemSelection, TrackSelection
from epiphane.document.timeline import BlendMode
from epiphane.edits.footage import add_footage
from epiphane.media.probe import probe_footage
from epiphane.render.nodes import Stacked
from epiphane.timing import frame_at, frame_start

SHIFT = Qt.KeyboardModifier.ShiftModifier


def point(window, frame, track=None, *, away=0):
    """Return the point of a frame in the strip of the shots, or of a track."""
    layout, seconds = window.score.layout_now(), frame_start(frame, window.editor.project.rate)
    stave = layout.stave_at(seconds + 1e-6)
    y = layout.shots_top(stave.top) + 10 if track is None else layout.track_top(stave, track) + 8
    return QPoint(round(layout.x_at(stave, seconds)) + away, round(y - window.score._offset))


def test_a_clip_dropped_with_shift_lies_over_the_shots_is_moved_trimmed_blended_and_deleted(demo):
    clip = demo.editor.project.footage[0]
    drop(demo.score.viewport(), carry_footage([clip.id]), point(demo, 64), modifier=SHIFT)
    (track,) = demo.editor.project.tracks
    item = track.items[0]
    assert (item.start, item.footage, demo.editor.selection) == (64, clip.id, ItemSelection(item.id))
    assert isinstance(demo.frames.plan(70).root.content, Stacked)
    drag(demo.score.viewport(), point(demo, 80, track.id), point(demo, 97, track.id))
    assert demo.editor.chosen.item.start == 80  # on a beat: the pointer was a frame beside it
    end = demo.editor.chosen.item.end
    drag(demo.score.viewport(), point(demo, 80, track.id, away=2), point(demo, 96, track.id, away=2))
    assert (demo.editor.chosen.item.start, demo.editor.chosen.item.end) == (96, end)
    blend = field(demo, QComboBox, "Blend mode")
    blend.setCurrentIndex(blend.findData("screen"))
    blend.activated.emit(blend.currentIndex())
    type_into(field(demo, QDoubleSpinBox, "Opacity"), "40")
    assert (demo.editor.chosen.item.blend, demo.editor.chosen.item.opacity) == (BlendMode.SCREEN, 0.4)
    QTest.keyClick(demo, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert demo.editor.chosen.item.start == 97
    QTest.mouseClick(demo.score.viewport(), LEFT, NONE, QPoint(20, point(demo, 97, track.id).y()))
    assert demo.editor.selection == TrackSelection(track.id)
    QTest.keyClick(demo, Qt.Key.Key_M)
    assert demo.editor.project.tracks[0].is_muted
    QTest.keyClick(demo, Qt.Key.Key_Delete)
    assert demo.editor.project.tracks == ()
    for _ in range(8):
        demo.editor.undo()
    assert demo.editor.history.undo_label is None


def test_a_sound_is_struck_on_the_hit_where_it_is_dropped(demo, qtbot, tmp_path):
    rate = 48_000
    thump = np.zeros(rate, np.float32)
    thump[round(0.3 * rate) : round(0.5 * rate)] = np.sin(np.arange(round(0.2 * rate)) / 8) * 0.9
    path = write_sound(tmp_path / "thump.wav", thump)
    demo.editor.apply(lambda p: add_footage(p, [probe_footage(path)]), "sound")
    sound = demo.editor.project.footage[-1]
    beat = demo.editor.project.song.beats[20]
    frame = frame_at(beat.time, demo.editor.project.rate)
    plain = demo.playback.song_sound
    drop(demo.score.viewport(), carry_footage([sound.id]), point(demo, frame + 1), modifier=SHIFT)
    qtbot.waitUntil(lambda: demo.editor.chosen.item.pin is not None, timeout=10_000)
    item = demo.editor.chosen.item
    assert item.pin.hit == beat.time
    assert item.pin.moment == pytest.approx(0.3, abs=0.002)
    hit = pytest.approx(frame_start(frame, demo.editor.project.rate), abs=0.003)

    def struck():
        added = np.abs(demo.playback._heard_sound - plain)[:, 0]
        return next(iter(np.flatnonzero(added > 0.2) / rate), None)

    qtbot.waitUntil(lambda: struck() == hit, timeout=10_000)  # it was put down first, and struck when heard
