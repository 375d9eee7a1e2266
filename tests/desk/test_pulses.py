"""Pulses and beats in the real window: dragged, tapped, walked through, corrected, and undone."""

import numpy as np
import pytest
from hands import drag, press
from helpers import HandClock
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QPushButton

from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.desk.score.layout import SPECTRUM_HEIGHT, Strip
from epiphane.desk.score.spectrum import hz_at, strip_box, y_of
from epiphane.document.pulse import BandSource, PulseUnit, TappedSource
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.timing import frame_at

LEFT = Qt.MouseButton.LeftButton
CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def clock(monkeypatch, make_window):
    """The sound of playing and of measuring the delay."""
    device = HandClock()
    for module in ("control.playback", "control.pulses"):
        monkeypatch.setattr(f"epiphane.desk.{module}.open_sound", lambda: device)
    return device


@pytest.fixture
def demo(clock, make_window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr("platformdirs.user_config_dir", lambda *_: str(tmp_path / "config"))
    window = make_window()
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    return window


def type_into(window, name, text):
    box = next(b for b in window.findChildren(QDoubleSpinBox) if b.accessibleName() == name and b.isVisible())
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box.lineEdit(), text)
    QTest.keyClick(box, Qt.Key.Key_Return)


def undo(window):
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)


def hits(window, number=-1):
    return np.array([hit.time for hit in window.editor.hits_of(window.editor.project.pulses[number])])


def test_a_band_is_dragged_over_the_spectrum_and_its_hits_follow(demo):
    QTest.keyClick(demo, Qt.Key.Key_P)
    press(demo, "Band")
    pulse = demo.editor.chosen.pulse
    assert isinstance(pulse.source, BandSource)
    layout = demo.score.layout_now()
    assert layout.sound_height == SPECTRUM_HEIGHT
    assert layout.pulses == (pulse.id,)
    stave = layout.staves[0]
    box = strip_box(layout, stave)
    x = round(box.center().x())

    def at(hz):
        return QPoint(x, round(y_of(hz, box)))

    before = hits(demo)
    drag(demo.score.viewport(), at(2500), at(9000))
    source = demo.editor.chosen.pulse.source
    assert source.low == pytest.approx(hz_at(at(2500).y(), box), rel=0.02)
    assert source.high == pytest.approx(hz_at(at(9000).y(), box), rel=0.05)
    assert hits(demo).tolist() != before.tolist()
    lower = QPoint(x, round(box.bottom() - 0.9 * box.height()))
    n_before = len(hits(demo))
    drag(demo.score.viewport(), lower, lower + QPoint(0, 25))
    assert demo.editor.chosen.pulse.source.threshold < 0.7
    assert len(hits(demo)) > n_before
    undo(demo)
    assert len(hits(demo)) == n_before
    undo(demo)
    assert hits(demo).tolist() == before.tolist()
    # Its hits stand on its line, and tell how far they are from an attack.
    middle = QPoint(round(layout.x_at(layout.stave_at(before[0]), before[0])), 0)
    stave = layout.stave_at(before[0])
    place = layout.locate(middle.x(), layout.pulse_middle(stave.top, 0))
    assert (place.strip, place.pulse) == (Strip.HITS, pulse.id)


def test_kicks_are_found_in_the_band_of_the_kick(demo):
    demo.pulses.make("band")
    type_into(demo, "Threshold", "94")
    kicks = np.array([hit.time for hit in demo.editor.project.song.drums.kick])
    found = hits(demo)
    near = np.abs(found[:, None] - kicks).min(axis=1) < 0.03
    assert near.mean() > 0.9
    assert len(found) > 0.8 * len(kicks)


def test_a_pulse_that_fires_a_lane_is_taken_away_and_comes_back(demo):
    demo.pulses.make("off-beat")
    pulse = demo.editor.chosen.pulse.id
    demo.lanes.add("flash", Target(pulse=pulse))
    lane = demo.editor.project.lanes[-1].id
    assert len(demo.editor.cues.lane(lane).cues) == 55
    demo.score.setFocus()
    index = demo.score.layout_now().pulses.index(pulse)
    stave = demo.score.layout_now().staves[0]
    at = QPoint(700, round(demo.score.layout_now().pulse_middle(stave.top, index)))
    QTest.mouseClick(demo.score.viewport(), LEFT, NONE, at)
    assert isinstance(demo.editor.selection, PulseSelection)
    QTest.keyClick(demo.score, Qt.Key.Key_Delete)
    assert demo.editor.cues.lane(lane).cues == ()
    assert "One lane fires nothing" in demo.notice.text
    undo(demo)
    assert len(demo.editor.cues.lane(lane).cues) == 55


def test_taps_come_out_where_they_were_meant(demo, clock):
    QTest.keyClick(demo, Qt.Key.Key_P)
    press(demo, "Tapped")
    press(demo, "Measure my delay…")
    rng = np.random.default_rng(3)
    delay = 0.08
    for click in demo.pulses.measuring.clicks:
        clock.heard = click + delay + rng.normal(0, 0.012)
        QTest.keyClick(demo, Qt.Key.Key_T)
    demo.pulses.measuring.stop()
    assert "late" in demo.notice.text
    demo.editor.go_to(0)
    press(demo, "Tap along")
    beats = [beat.time for beat in demo.editor.project.song.beats[2:20]]
    for beat in beats:
        clock.heard = beat + delay + rng.normal(0, 0.012)
        QTest.keyClick(demo, Qt.Key.Key_T)
    QTest.keyClick(demo, Qt.Key.Key_Space)
    assert "18 taps were taken" in demo.notice.text
    assert np.abs(hits(demo) - beats).max() < 0.05
    assert np.abs(np.median(hits(demo) - beats)) < 0.012
    press(demo, "To beats")
    assert np.abs(hits(demo) - beats).max() < 1e-5
    undo(demo)
    undo(demo)
    assert demo.editor.chosen.pulse.source == TappedSource()


def test_taps_are_taken_only_while_it_plays(demo):
    QTest.keyClick(demo, Qt.Key.Key_T)
    assert "while it plays" in demo.notice.text
    assert all(not isinstance(pulse.source, TappedSource) for pulse in demo.editor.project.pulses)


@pytest.fixture
def doubtful(demo):
    """The demo with three doubtful beats."""
    song = demo.editor.project.song
    beats = tuple(
        replace(beat, confidence=0.2) if number in (9, 14, 30) else beat
        for number, beat in enumerate(song.beats)
    )
    demo.editor.apply(lambda p: replace(p, song=replace(song, beats=beats)), "doubt")
    return demo


def test_doubtful_beats_are_walked_through_accepted_and_moved(doubtful):
    demo, beats = doubtful, doubtful.editor.project.song.beats
    QTest.keyClick(demo, Qt.Key.Key_D)
    assert demo.editor.selection.beat == 9
    first, end = demo.playback.loop
    assert first < frame_at(beats[9].time, demo.editor.project.rate) < end
    assert demo.editor.playhead == frame_at(beats[9].time, demo.editor.project.rate)
    QTest.keyClick(demo, Qt.Key.Key_Y)
    assert demo.editor.project.song.beats[9].confidence == 1.0
    assert demo.editor.selection.beat == 14
    QTest.keyClick(demo, Qt.Key.Key_Right, ALT)
    assert demo.editor.project.song.beats[14].time == pytest.approx(beats[14].time + 0.005)
    assert demo.editor.project.song.beats[14].confidence == 1.0
    QTest.keyClick(demo, Qt.Key.Key_D)
    assert demo.editor.selection.beat == 30
    QTest.keyClick(demo, Qt.Key.Key_Delete)
    assert len(demo.editor.project.song.beats) == len(beats) - 1
    QTest.keyClick(demo, Qt.Key.Key_D)
    assert "No beat is doubtful" in demo.notice.text
    for _ in range(3):
        undo(demo)
    assert demo.editor.project.song.beats == beats
    QTest.keyClick(demo, Qt.Key.Key_End)
    QTest.keyClick(demo, Qt.Key.Key_D, Qt.KeyboardModifier.ShiftModifier)
    assert demo.editor.selection.beat == 30


def test_a_beat_is_dragged_on_the_ruler_and_cuts_go_with_it(demo):
    song = demo.editor.project.song
    shot = demo.editor.project.shots[1]
    number = next(
        n for n, beat in enumerate(song.beats) if frame_at(beat.time, demo.editor.project.rate) == shot.start
    )
    layout = demo.score.layout_now()
    stave = layout.stave_at(song.beats[number].time)
    y = round(layout.ruler_top(stave.top) + 18)
    start = QPoint(round(layout.x_at(stave, song.beats[number].time)), y)
    drag(demo.score.viewport(), start, start + QPoint(25, 0), modifier=CTRL)
    moved = demo.editor.project.song.beats
    by = moved[number].time - song.beats[number].time
    assert by == pytest.approx(25 / layout.pixels_per_second(stave, song.beats[number].time), abs=0.01)
    assert 0 < moved[number + 2].time - song.beats[number + 2].time < by
    assert moved[number + 6] == song.beats[number + 6]
    assert demo.editor.project.shots[1].start == frame_at(moved[number].time, demo.editor.project.rate)
    undo(demo)
    assert demo.editor.project.song == song
    QTest.mouseClick(demo.score.viewport(), LEFT, CTRL, start + QPoint(20, 0))
    assert len(demo.editor.project.song.beats) == len(song.beats) + 1
    undo(demo)
    demo.editor.go_to(demo.editor.project.n_frames - 5)
    QTest.keyClick(demo, Qt.Key.Key_Insert)
    assert demo.editor.selection.beat == len(song.beats)
    undo(demo)  # the beat that is selected is gone before anybody is told
    assert demo.editor.project.song == song and demo.editor.chosen.beat is None


def test_the_song_is_corrected_trimmed_and_locked_on_its_bench(demo):
    project = demo.editor.project
    press(demo, "Half")
    assert len(demo.editor.project.song.beats) == 28
    undo(demo)
    type_into(demo, "Tempo", "113")
    assert demo.editor.project.song.tempo == pytest.approx(113, abs=0.01)
    undo(demo)
    press(demo, "Shift downbeat")
    assert demo.editor.project.song.beats[0].place == 4
    undo(demo)
    assert demo.editor.project.song == project.song
    demo.pulses.make("band")
    type_into(demo, "Threshold", "60")
    n_hits = len(hits(demo))
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    bar = project.song.beats[16].time
    type_into(demo, "Begin at", f"{bar:.3f}")
    song = demo.editor.project.song
    assert song.start == pytest.approx(bar, abs=0.001)
    assert song.beats[0].time < 0.002
    assert len(song.before.beats) == 16
    assert demo.editor.heard.samples.duration == pytest.approx(30 - bar, abs=0.01)
    assert len(hits(demo)) < n_hits
    type_into(demo, "Begin at", "0")
    assert demo.editor.project.song.beats == project.song.beats
    assert len(hits(demo)) == n_hits
    type_into(demo, "End at", "0.2")
    assert "must be left" in demo.notice.text
    type_into(demo, "Fade in", "2")
    assert abs(demo.editor.heard.samples.data[:100]).max() < 0.01
    press(demo, "Lock")
    assert not next(b for b in demo.findChildren(QPushButton) if b.text() == "Half").isEnabled()
    QTest.keyClick(demo, Qt.Key.Key_Insert)
    assert "locked" in demo.notice.text


def choose(window, name, text):
    box = next(b for b in window.findChildren(QComboBox) if b.accessibleName() == name and b.isVisible())
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


def test_two_pulses_are_blended_thinned_and_renamed_on_the_bench(demo):
    QTest.keyClick(demo, Qt.Key.Key_P)
    press(demo, "Two pulses")
    choose(demo, "One pulse", "beats")
    choose(demo, "The other pulse", "bars")
    choose(demo, "How they are combined", "without")
    assert demo.editor.chosen.pulse.name == "beats without bars"
    assert len(hits(demo)) == 42
    choose(demo, "How they are combined", "only where also")
    assert len(hits(demo)) == 14
    type_into(demo, "Share that is kept", "50")
    assert len(hits(demo)) == 7
    type_into(demo, "Every Nth hit", "2")
    assert len(hits(demo)) == 4
    name = next(b for b in demo.findChildren(QLineEdit) if b.accessibleName() == "Name of the pulse")
    name.setFocus()
    name.selectAll()
    QTest.keyClicks(name, "entries")
    QTest.keyClick(name, Qt.Key.Key_Return)
    assert demo.editor.chosen.pulse.name == "entries"
    for _ in range(7):
        undo(demo)
    assert len(demo.editor.project.pulses) == 2
    QTest.mouseClick(demo.shelf.pulses.lines, LEFT, NONE, demo.shelf.pulses.lines.point_of(1))
    assert demo.editor.chosen.pulse.name == "bars"


def test_bars_are_put_right_on_the_bench_of_a_beat(doubtful):
    QTest.keyClick(doubtful, Qt.Key.Key_D)
    press(doubtful, "Downbeat here")
    beats = doubtful.editor.project.song.beats
    assert beats[9].place == 1
    assert beats[13].place == 1
    type_into(doubtful, "Beats to the bar from here on", "3")
    beats = doubtful.editor.project.song.beats
    assert [beat.place for beat in beats[8:16]] == [4, 1, 2, 3, 1, 2, 3, 1]
    QTest.keyClick(doubtful, Qt.Key.Key_G)
    moved = doubtful.editor.project.song.beats[9]
    assert abs(moved.time - beats[9].time) < 0.1
    assert doubtful.score.tip_at(QPointF(1, 1)) == ""


def test_one_stave_is_listened_to_again(demo, qtbot):
    before = demo.editor.project.song.beats
    demo.editor.go_to(400)
    press(demo, "This stave again")
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=20_000)
    after = demo.editor.project.song.beats
    assert "beats were heard" in demo.notice.text
    assert np.abs(np.array([b.time for b in after[:12]]) - [b.time for b in before[:12]]).max() == 0
    assert abs(len(after) - len(before)) <= 2


def test_ticks_are_heard_on_the_hits_and_not_exported(demo, clock):
    QTest.keyClick(demo, Qt.Key.Key_Space)
    plain = clock.reel.take(0, 10 * SOUND_RATE)
    QTest.keyClick(demo, Qt.Key.Key_T, Qt.KeyboardModifier.ShiftModifier)
    ticked = clock.reel.take(0, 10 * SOUND_RATE)
    rises = np.flatnonzero(np.abs(ticked - plain).max(axis=1) > 0.05)
    first = rises[np.concatenate([[True], np.diff(rises) > 2000])] / SOUND_RATE
    beats = np.array([beat.time for beat in demo.editor.project.song.beats if beat.time < 9.9])
    assert np.abs(first[: len(beats)] - beats).max() < 0.001
    QTest.keyClick(demo, Qt.Key.Key_T, Qt.KeyboardModifier.ShiftModifier)
    assert (clock.reel.take(0, SOUND_RATE) == plain[:SOUND_RATE]).all()


def test_an_effect_dropped_on_a_pulse_is_fired_by_it(demo):
    demo.editor.apply(lambda p: ensure_pulse(p, PulseUnit.HALF)[0], "pulse")
    pulse = demo.editor.project.pulses[-1].id
    demo.score.effect_dropped.emit("zoom", Target(pulse=pulse))
    assert demo.editor.project.lanes[-1].pulse == pulse
    assert add_lane(demo.editor.project, "flash", pulse).lanes[-1].pulse == pulse
