"""The sound of shots in the real window: heard, shaped, metered, and said where it clips."""

import numpy as np
import pytest
from hands import field, type_into
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox

from epiphane.desk.control.selection import ShotSelection, SongSelection
from epiphane.timing import frame_start


def test_a_shot_is_heard_under_the_song_and_a_clipping_mix_is_said(demo, qtbot):
    project = demo.editor.project
    heard = {one.id for one in project.footage if one.has_sound}
    shot = next(one for one in project.shots if one.footage in heard and one.pin is not None)
    demo.editor.select(ShotSelection(shot.id))
    plain = demo.playback.song_sound
    field(demo, QCheckBox, "Sound of the shot").click()
    qtbot.waitUntil(lambda: demo.playback._heard_sound is not plain, timeout=10_000)
    first, end = (round(frame_start(frame, project.rate) * 48_000) for frame in (shot.start, shot.end))
    added = demo.playback._heard_sound - plain
    assert np.abs(added[first:end]).max() > 0.02
    assert not added[:first].any()
    assert not added[end:].any()
    mix = demo.playback._heard_sound
    type_into(field(demo, QDoubleSpinBox, "Gain of the shot"), "24")
    qtbot.waitUntil(lambda: demo.playback._heard_sound is not mix, timeout=10_000)
    assert "too loud and clips" in demo.notice.text
    assert "it clips" in demo.header.meter.toolTip()
    demo.editor.go_to(shot.start)
    demo.playback.play()
    qtbot.waitUntil(lambda: (demo.playback.level_decibels() or (-99, 0))[0] > -40, timeout=5000)
    demo.playback.stop()
    demo.editor.undo()
    demo.editor.undo()
    qtbot.waitUntil(lambda: demo.playback._heard_sound is plain, timeout=10_000)
    assert demo.header.meter.toolTip().endswith("it does not clip")


def test_the_picture_fades_at_both_ends_by_typed_seconds(demo):
    demo.editor.select(SongSelection())
    type_into(field(demo, QDoubleSpinBox, "Fade of the picture from black"), "2")
    assert demo.editor.project.fades.fade_in == 2
    assert demo.frames.plan(30).root.content.nodes[0].opacity == pytest.approx(0.5)
    QTest.qWait(10)
    type_into(field(demo, QDoubleSpinBox, "Fade of the picture to black"), "60")
    assert "longer than the edit" in demo.notice.text
