"""A song in the real window: drawn before it is heard, and everything that was heard on the score."""

import numpy as np
import pytest
from hands import drag, field
from helpers import click_track, write_sound
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton

from epiphane.audio.heard import OtherReading
from epiphane.demo import SONG_FILE
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import SongSelection
from epiphane.desk.look import theme
from epiphane.desk.score.layout import Strip
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import DRUMS
from epiphane.edits.song.song import set_song
from epiphane.facts.form import parts_of
from epiphane.facts.grid import bars_of
from epiphane.timing import frame_at

LEFT = Qt.MouseButton.LeftButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def heard(make_window, qtbot, hear_once, monkeypatch):
    """A window in which the demo's song has been opened and heard."""
    monkeypatch.setattr("epiphane.desk.control.files.hear_to_play", hear_once)
    window = make_window()
    window.resize(1280, 800)
    window.files.open_song(SONG_FILE)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=30_000)
    return window


def pressed(page, text):
    QTest.mouseClick(next(one for one in page.findChildren(QPushButton) if one.text() == text), LEFT)


def texts(widget):
    return " | ".join(label.text() for label in widget.findChildren(QLabel) if label.isVisible())


def colours(window, left, top, width, height):
    image = window.score.viewport().grab(window.score.viewport().rect()).toImage()
    return [
        QColor(image.pixel(x, y))
        for x in range(round(left), round(left + width))
        for y in range(round(top), round(top + height))
    ]


def is_written(window, left, top, width, height):
    """Whether anything is drawn there in the colour of writing."""
    return any(colour.lightness() > 180 for colour in colours(window, left, top, width, height))


def test_a_song_is_drawn_before_its_beats_are_known_and_is_one_step_to_undo(make_window, qtbot, tmp_path):
    window = make_window()
    song = write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 30, 0.5), duration=30.5))
    steps = []
    window.editor.song_changed.connect(lambda: steps.append(window.editor.project.song))
    window.files.open_song(song)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=30_000)
    sketch, whole = steps[0], window.editor.project.song
    assert sketch.beats == ()
    assert sketch.duration == whole.duration
    assert len(whole.beats) > 50
    assert len(window.editor.heard.listening.waveform) > 1000
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.editor.project.song is None


def test_listening_can_be_stopped_and_what_was_drawn_stays(make_window, qtbot, tmp_path):
    window = make_window()
    song = write_sound(tmp_path / "long.wav", click_track(np.arange(0.5, 60, 0.5), duration=60))

    def stop():
        for job in window.jobs.running:
            job.cancel()

    window.editor.song_changed.connect(stop)
    window.files.open_song(song)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=30_000)
    assert window.editor.project.song.beats == ()
    assert "Listening was stopped" in window.notice.text
    window.editor.song_changed.disconnect(stop)
    window.files.open_song(song)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=30_000)
    assert len(window.editor.project.song.beats) > 50


def test_drums_sections_and_the_drop_stand_in_the_score(heard):
    layout = heard.score.layout_now()
    song = heard.editor.project.song
    for drum in DRUMS:
        hit = song.drums.hits(drum)[0]
        stave = layout.stave_at(hit.time)
        x, y = layout.x_at(stave, hit.time), layout.drum_middle(stave.top, drum)
        assert y < heard.score.viewport().height()
        assert is_written(heard, x - 2, y - 2, 4, 4), drum
    top = layout.staves[0].top
    assert is_written(heard, layout.left(layout.staves[0]), top - 4, 60, 14)
    stave = layout.stave_at(song.drops[0])
    x = layout.x_at(stave, song.drops[0])
    assert is_written(heard, x, stave.top - 2, 10, 10)


def test_parts_and_drops_are_put_right_on_their_line_by_mouse_and_keys(heard):
    editor, viewport = heard.editor, heard.score.viewport()

    def on_line(seconds, pixels=0):
        layout = heard.score.layout_now()
        stave = layout.stave_at(seconds)
        return QPoint(round(layout.x_at(stave, seconds)) + pixels, round(stave.top) + 7)

    parts = parts_of(editor.project.song)
    first_edge, bars = parts[1].start, [bar.start for bar in editor.bars]
    earlier = max(bar for bar in bars if bar < first_edge - 0.1)
    drag(viewport, on_line(first_edge, -1), on_line(earlier, 4))
    assert parts_of(editor.project.song)[1].start == pytest.approx(earlier)  # from bar line to bar line
    assert parts_of(editor.project.song)[1].is_own and heard.bench.part.isVisible()
    pressed(heard.bench.part, "Break")
    assert parts_of(editor.project.song)[1].kind == "break"
    name = field(heard, QLineEdit, "Name of the part")
    name.selectAll()
    QTest.keyClicks(name, "Bridge")
    QTest.keyClick(name, Qt.Key.Key_Return)
    assert parts_of(editor.project.song)[1].label == "Bridge break"
    middle = bars[bars.index(earlier) + 1]
    editor.go_to(frame_at(middle, editor.project.rate))
    heard.score.setFocus()
    QTest.keyClick(heard, Qt.Key.Key_U, CTRL)
    assert len(parts_of(editor.project.song)) == len(parts) + 1
    assert parts_of(editor.project.song)[editor.selection.part].start == pytest.approx(middle)
    QTest.keyClick(heard, Qt.Key.Key_J, CTRL | SHIFT)
    assert len(parts_of(editor.project.song)) == len(parts)
    # Drops: put by key on the nearest beat, dragged from beat to beat, deleted.
    drops, beats = editor.project.song.drops, [beat.time for beat in editor.project.song.beats]
    editor.go_to(frame_at(beats[5], editor.project.rate))
    QTest.keyClick(heard, Qt.Key.Key_V, SHIFT)
    assert editor.project.song.drops == tuple(sorted([*drops, beats[5]])) and editor.selection.drop == 0
    drag(viewport, on_line(beats[5], 4), on_line(beats[7], 6))
    assert editor.project.song.drops[0] == pytest.approx(beats[7])
    QTest.keyClick(heard, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert editor.project.song.drops[0] == pytest.approx(beats[6])
    QTest.keyClick(heard, Qt.Key.Key_Delete)
    assert editor.project.song.drops == drops and editor.project.song.has_own_drops
    editor.select(SongSelection())
    pressed(heard.bench.song, "As heard")
    assert parts_of(editor.project.song) == parts and not editor.project.song.has_own_drops


def test_doubtful_beats_are_hollow(heard):
    song = heard.editor.project.song
    beats = [replace(beat, confidence=0.2) if number == 5 else beat for number, beat in enumerate(song.beats)]
    heard.editor.apply(lambda p: set_song(p, replace(song, beats=tuple(beats))), "doubt")
    layout = heard.score.layout_now()
    stave = layout.staves[0]
    base = layout.sound_top(stave.top) - 6
    hollow, sure = (layout.x_at(stave, beats[number].time) for number in (5, 6))
    assert theme.GROUND in colours(heard, hollow - 1, base - 4, 2, 3)
    assert not is_written(heard, hollow - 0.5, base - 4, 1, 2)
    assert theme.GROUND not in colours(heard, sure - 1, base - 4, 2, 3)
    assert "1 doubtful" in texts(heard.bench)
    tip = heard.score.tip_at(QPointF(hollow, base - 3))
    assert "20% sure · doubtful" in tip


def test_what_lies_under_the_pointer_is_told(heard):
    layout = heard.score.layout_now()
    hit = heard.editor.project.song.drums.kick[0]
    stave = layout.stave_at(hit.time)
    x, top = layout.x_at(stave, hit.time), layout.hits_top(stave.top)
    assert layout.locate(x, top + 26).strip is Strip.HITS
    tip = heard.score.tip_at(QPointF(x, top + 26))
    assert tip.startswith(f"kick {hit.time:.3f} s · strength")
    assert layout.shots_top(stave.top) >= top + layout.drums_height


def test_the_bench_tells_what_was_heard(heard):
    told = texts(heard.bench)
    song = heard.editor.project.song
    for words in ("14 bars, ", "a machine's", "% sure", f"{len(song.drums.kick)} kicks", "A calm"):
        assert words in told, words
    assert f"{len(song.beats)}, " in told


def test_a_lane_is_fired_by_the_kick_from_its_bench(heard):
    QTest.keyClick(heard, Qt.Key.Key_E)
    heard.lanes.add("flash")
    box = next(
        box for box in heard.bench.findChildren(QComboBox) if box.accessibleName().startswith("Fired by")
    )
    box.setCurrentIndex(box.findText("kicks"))
    box.activated.emit(box.currentIndex())
    pulse = next(p for p in heard.editor.project.pulses if p.id == heard.editor.project.lanes[0].pulse)
    assert pulse.unit is PulseUnit.KICK
    kicks = heard.editor.project.song.drums.kick
    assert [cue.hit for cue in heard.editor.cues.lanes[0].cues] == list(kicks)
    assert len(bars_of(heard.editor.project)) > 10


def test_another_reading_is_one_click_away_and_so_is_the_way_back(heard):
    window, listening = heard, heard.editor.heard.listening
    half = OtherReading(listening.beats[::2], listening.tempo / 2, 4, 0.3)
    shifted = [replace(beat, time=beat.time + 30 / listening.tempo) for beat in listening.beats]
    in_three = [replace(beat, place=number % 3 + 1) for number, beat in enumerate(listening.beats)]
    others = (
        half,
        OtherReading(tuple(shifted), listening.tempo, 4, 0.2),
        OtherReading(tuple(in_three), listening.tempo, 3, 0.1),
    )
    found = replace(window.editor.heard_file, listening=replace(listening, others=others))
    window.editor.take_song(found)
    offered = {
        button.text(): button for button in window.bench.findChildren(QPushButton) if "·" in button.text()
    }
    assert [text.partition(" · ")[0] for text in offered] == ["56 BPM in 4", "half a beat off", "bars of 3"]
    QTest.mouseClick(offered["56 BPM in 4 · 30%"], Qt.MouseButton.LeftButton)
    song = window.editor.project.song
    assert [beat.time for beat in song.beats] == [beat.time for beat in half.beats]
    assert song.tempo == pytest.approx(listening.tempo / 2)
    first = next(
        button for button in window.bench.findChildren(QPushButton) if "112 BPM in 4" in button.text()
    )
    QTest.mouseClick(first, Qt.MouseButton.LeftButton)
    assert [beat.time for beat in window.editor.project.song.beats] == [beat.time for beat in listening.beats]


def test_a_drum_that_is_not_heard_surely_is_said_to_be_stood_in_for(heard):
    window, song = heard, heard.editor.project.song
    drums = replace(song.drums, low=song.drums.kick[1::2], confidence=(0.1, 0.9, 0.9))
    window.editor.apply(lambda p: set_song(p, replace(song, drums=drums)), "doubt")
    assert f"kick: not heard surely, {len(drums.low)} low hits instead" in texts(window.bench)
    assert "90% sure" in texts(window.bench)
    window.lanes.add("flash", Target(unit=PulseUnit.KICK))
    assert "the low hits stand in for the kick" in window.notice.text
    assert [cue.hit for cue in window.editor.cues.lanes[0].cues] == list(drums.low)
    layout = window.score.layout_now()
    stave = layout.stave_at(drums.low[0].time)
    x, y = layout.x_at(stave, drums.low[0].time), layout.drum_middle(stave.top, "kick")
    assert window.score.tip_at(QPointF(x, y)).startswith("low hit")
