"""Playing: the picture follows the clock of the sound, through loops and to the end."""

import os
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hands import drag
from helpers import HandClock
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.sound import DeviceSound, PlayBuffer
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.errors import MediaError
from epiphane.timing import frame_at


@pytest.fixture
def clock(monkeypatch, make_window):
    """A window's clock; `make_window` comes first, as it sets a simulated device."""
    device = HandClock()
    monkeypatch.setattr("epiphane.desk.control.playback.open_sound", lambda: device)
    return device


@pytest.fixture
def demo(clock, make_window, qtbot):
    window = make_window()
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None, timeout=20_000)
    return window


def wait_for_frame(window, frame, qtbot):
    qtbot.waitUntil(lambda: window.editor.playhead == frame, timeout=10_000)


def test_the_picture_is_that_of_what_is_heard(demo, clock, qtbot):
    shown = []
    demo.playback.shown.connect(lambda _, frame: shown.append(frame))
    demo.editor.go_to(30)
    QTest.keyClick(demo, Qt.Key.Key_Space)
    for heard in (0.0, 0.1, 0.5, 0.5333):
        clock.heard = heard
        wait_for_frame(demo, frame_at(1.0 + heard, demo.editor.project.rate), qtbot)
    assert set(shown) >= {33, 45, 46}
    QTest.keyClick(demo, Qt.Key.Key_Space)
    assert not demo.playback.is_playing
    assert clock.heard is None
    assert demo.editor.playhead == 46


def test_it_stops_at_the_end_and_begins_anew(demo, clock, qtbot):
    last = demo.editor.project.n_frames - 1
    demo.editor.go_to(last - 10)
    demo.playback.play()
    clock.heard = 5.0
    qtbot.waitUntil(lambda: not demo.playback.is_playing, timeout=5000)
    assert demo.editor.playhead == last
    demo.playback.play()
    assert demo.editor.playhead == 0


def test_a_loop_goes_round_the_stave(demo, clock, qtbot):
    demo.editor.go_to(5)
    QTest.keyClick(demo, Qt.Key.Key_Q)
    first, end = demo.playback.loop
    assert (first, end) == demo.score.stave_frames()
    demo.playback.play()
    length = (end - first) / 30
    clock.heard = length  # once round: back where it began
    wait_for_frame(demo, 5, qtbot)
    clock.heard = 3 * length + 1.0
    wait_for_frame(demo, 35, qtbot)
    QTest.keyClick(demo, Qt.Key.Key_Q)
    assert demo.playback.loop is None
    assert demo.playback.is_playing


def test_it_plays_on_when_the_beats_of_its_song_become_known(demo, clock, qtbot):
    demo.playback.play()
    clock.heard = 0.2
    wait_for_frame(demo, 6, qtbot)
    demo.editor.take_song(replace(demo.editor.heard))
    assert demo.playback.is_playing
    demo.editor.take_song(replace(demo.editor.heard, fingerprint="of another file"))
    assert not demo.playback.is_playing


def test_going_elsewhere_while_it_plays_takes_the_sound_along(demo, clock, qtbot):
    demo.playback.play()
    clock.heard = 0.2
    wait_for_frame(demo, 6, qtbot)
    QTest.keyClick(demo, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    here = demo.editor.playhead
    assert clock.reel.place(0) == round(here / 30 * 48_000)
    clock.heard = 0.1
    wait_for_frame(demo, here + 3, qtbot)
    clock.heard = None  # no sound yet, as after every jump
    demo.editor.go_to(600)
    qtbot.wait(60)
    assert demo.editor.playhead == 600  # and not back where the picture still is
    demo.playback.stop()
    assert demo.editor.playhead == 600


def test_an_edit_while_it_plays_is_seen_in_the_next_picture(demo, clock, qtbot):
    demo.playback.play()
    clock.heard = 0.0
    lane = demo.editor.project.lanes[0].id
    demo.editor.select_cues(frozenset({(lane, 0.0)}), lane=lane)
    before = demo.frames.plan(1)
    QTest.keyClick(demo, Qt.Key.Key_X)
    assert demo.frames.plan(1) != before
    assert demo.playback.is_playing


def test_late_pictures_are_counted(demo, clock, qtbot):
    demo.playback.play()
    qtbot.waitUntil(lambda: demo.playback.punctuality.n_due == 1, timeout=5000)
    for n in range(0, 40, 2):  # every other picture is passed over
        clock.heard = n / 30
        wait_for_frame(demo, n, qtbot)
    count = demo.playback.punctuality
    assert count.n_due == pytest.approx(39, abs=1)
    assert count.share == pytest.approx(20 / 39, abs=0.03)


def test_a_reel_goes_round_without_a_gap():
    sound = np.arange(100, dtype=np.float32)[:, None].repeat(2, 1)
    assert PlayBuffer(sound, 90).take(0, 15)[:, 0].tolist() == [*range(90, 100), *[0] * 5]
    loop = PlayBuffer(sound, 35, (20, 40))
    taken = np.concatenate([loop.take(0, 7), loop.take(7, 30)])[:, 0]
    assert taken.tolist() == [*range(35, 40), *range(20, 40), *range(20, 32)]
    assert [loop.place(n) for n in (0, 4.5, 5, 25.5)] == [35, 39.5, 20, 20.5]


def test_jobs_tell_how_they_end_and_a_newer_one_replaces_an_older(qtbot):
    jobs = Jobs()
    ended = []

    def failing(progress):
        raise MediaError("the disk is full.")

    def wrong(progress):
        raise ZeroDivisionError("by accident")

    def long(progress):
        for n in range(10_000):
            progress(n / 10_000)
            time.sleep(0.001)

    jobs.start("a", "A", lambda progress: 42, done=ended.append)
    jobs.start("b", "B", failing, done=ended.append, failed=ended.append)
    jobs.start("c", "Counting", wrong, done=ended.append, failed=ended.append)
    jobs.start("d", "D", long, done=ended.append)
    newer = jobs.start("d", "D", long, done=ended.append, stopped=lambda: ended.append("stopped"))
    qtbot.waitUntil(lambda: newer.share > 0.01, timeout=5000)
    newer.cancel()
    qtbot.waitUntil(lambda: not jobs.running, timeout=5000)
    jobs.close()
    assert sorted(map(str, ended)) == [
        "42",
        "Counting failed: by accident. Save your work and try again.",
        "stopped",
        "the disk is full.",
    ]


def niceness():
    """Return how much this thread gives way to others."""
    return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())


def test_work_in_the_background_gives_way_and_waits_while_something_is_dragged(demo, qtbot, monkeypatch):
    monkeypatch.setattr("epiphane.desk.engine.jobs._NICENESS", 10)
    found = []

    def work(progress):
        with ThreadPoolExecutor(1) as pool:
            return niceness(), pool.submit(niceness).result()

    demo.jobs.start("nice", "N", work, done=found.append)
    qtbot.waitUntil(lambda: bool(found))
    assert min(found[0]) >= niceness() + 5  # its own threads too
    paper, may_work = demo.score.paper(), demo.footage._may_work
    at = demo.score.point_of(1.0)
    QTest.mousePress(paper, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    assert not may_work.is_set()
    QTest.mouseRelease(paper, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    assert may_work.is_set()


def test_pictures_are_drawn_ahead_and_wishes_forgotten(demo, qtbot, monkeypatch):
    monkeypatch.setattr("epiphane.desk.control.playback._FAR_SECONDS", 10)
    frames = demo.frames
    demo.editor.go_to(10)
    qtbot.waitUntil(lambda: frames.picture(10) is not None, timeout=10_000)
    demo.editor.go_to(300)
    qtbot.waitUntil(lambda: all(frames.picture(n) is not None for n in range(300, 310)), timeout=20_000)
    assert frames.picture(700) is None  # more than ten seconds on


def test_without_a_song_the_picture_plays_on_a_silent_clock(tmp_path, qtbot, monkeypatch):
    from helpers import a_project

    monkeypatch.setattr("epiphane.desk.control.playback.open_sound", HandClock)
    editor, frames = Editor(journal_folder=tmp_path), FrameServer()
    frames.show(editor.project, editor.cues)
    playback = Playback(editor, frames)
    playback.play()
    assert not playback.is_playing  # nothing to play
    from msgspec.structs import replace

    editor.open(replace(a_project(), song=None), None)
    playback.play()
    assert playback.is_playing
    playback.close()
    frames.close()


class FragileDevice(DeviceSound):
    """A device that plays by the system's clock until it goes."""

    def __init__(self):
        self.started, self.is_gone = None, False

    def start(self, reel):
        self.started = time.monotonic()

    def stop(self):
        self.started = None

    close = stop

    def heard_seconds(self):
        return None if self.started is None else time.monotonic() - self.started

    @property
    def has_failed(self):
        return self.is_gone


def test_the_sound_device_goes_and_the_picture_plays_on(make_window, monkeypatch, qtbot):
    device = FragileDevice()
    monkeypatch.setattr("epiphane.desk.control.playback.open_sound", lambda: device)
    window = make_window()
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None, timeout=20_000)
    window.playback.play()
    qtbot.waitUntil(lambda: window.editor.playhead > 3, timeout=10_000)
    device.is_gone = True
    qtbot.waitUntil(lambda: window.playback.is_simulated, timeout=5000)
    assert "plays on without sound" in window.notice.text
    here = window.editor.playhead
    qtbot.waitUntil(lambda: window.editor.playhead > here + 5, timeout=10_000)
    assert window.playback.is_playing
    window.playback.stop()


def a_process_that(does):
    """Return the command of a process in the place of that of the device, which speaks its language."""
    return (
        "import os, sys, time\n"
        "from epiphane.desk.engine.sound_process import *\n"
        "def say(*told): os.write(1, REPORT.pack(*told, time.monotonic()))\n"
        f"{does}\n"
    )


HANGS = "say(PLAYING, 1, 4800, 0.0); say(PLAYING, 1, 9600, 0.05); time.sleep(60)"
DIES = "say(PLAYING, 1, 4800, 0.05)"
PLAYS = """
begun = time.monotonic()
while time.monotonic() < begun + 60:
    heard = time.monotonic() - begun
    say(PLAYING, 1, int(48000 * (heard + 0.2)), heard)
    time.sleep(0.02)
"""


@pytest.mark.parametrize("does", [HANGS, DIES])
def test_a_sound_server_that_hangs_or_dies_is_let_go_of_within_two_seconds(
    does, make_window, monkeypatch, qtbot
):
    made = []
    popen = subprocess.Popen

    def start(command, **options):
        made.append(popen([sys.executable, "-c", a_process_that(does)], **options))
        return made[-1]

    window = make_window()
    monkeypatch.setattr("epiphane.desk.engine.sound.subprocess.Popen", start)
    window.playback._device = DeviceSound()
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None, timeout=20_000)
    window.playback.play()
    began = time.monotonic()
    qtbot.waitUntil(lambda: window.playback.is_simulated, timeout=10_000)
    took = time.monotonic() - began
    assert made[0].poll() is not None  # it is not left behind
    assert "plays on without sound" in window.notice.text
    here = window.editor.playhead
    qtbot.waitUntil(lambda: window.editor.playhead > here + 5, timeout=10_000)
    window.playback.stop()
    assert took < 2 + 3  # starting Python takes a part of it


def test_the_device_in_its_process_is_the_clock(monkeypatch, qtbot):
    popen = subprocess.Popen
    monkeypatch.setattr(
        "epiphane.desk.engine.sound.subprocess.Popen",
        lambda _command, **options: popen([sys.executable, "-c", a_process_that(PLAYS)], **options),
    )
    device = DeviceSound()
    device.start(PlayBuffer(np.zeros((SOUND_RATE, 2), np.float32), 0))
    qtbot.waitUntil(lambda: (device.heard_seconds() or 0) > 0.3, timeout=10_000)
    first, began = device.heard_seconds(), time.monotonic()
    qtbot.waitUntil(lambda: device.heard_seconds() > first + 0.5, timeout=5000)
    assert time.monotonic() - began == pytest.approx(0.5, abs=0.1)
    assert not device.has_failed
    device.close()


def test_the_real_process_plays_or_counts_in_silence(qtbot):
    device = DeviceSound()
    device.start(PlayBuffer(np.zeros((SOUND_RATE, 2), np.float32), 0))
    qtbot.waitUntil(lambda: device.has_failed or (device.heard_seconds() or 0) > 0.2, timeout=20_000)
    device.stop()
    assert device.heard_seconds() is None
    device.close()


def test_it_plays_backwards_slower_and_faster_with_its_sound(demo, clock, qtbot):
    demo.editor.go_to(300)
    QTest.keyClick(demo, Qt.Key.Key_J)
    clock.heard = 0.98
    wait_for_frame(demo, 270, qtbot)
    QTest.keyClick(demo, Qt.Key.Key_J)  # twice as fast, from here
    clock.heard = 0.985
    wait_for_frame(demo, 210, qtbot)
    QTest.keyClick(demo, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    clock.heard = 2.0
    wait_for_frame(demo, 240, qtbot)
    assert demo.playback.speed == 0.5
    QTest.keyClick(demo, Qt.Key.Key_K)
    assert not demo.playback.is_playing
    demo.editor.go_to(3)
    QTest.keyClick(demo, Qt.Key.Key_J)
    clock.heard = 5.0
    qtbot.waitUntil(lambda: not demo.playback.is_playing, timeout=5000)
    assert demo.editor.playhead == 0


@pytest.mark.parametrize("speed", [-1.0, 0.5, 2.0, -4.0])
def test_a_reel_at_a_speed_has_the_sound_of_the_place_it_tells(speed):
    sound = np.arange(1000, dtype=np.float32)[:, None].repeat(2, 1)
    for loop in (None, (300, 700)):
        reel = PlayBuffer(sound, 500, loop, speed=speed)
        taken = np.concatenate([reel.take(0, 100), reel.take(100, 500)])[:, 0]
        places = np.array([reel.place(n) for n in range(600)])
        inside = (places >= 0) & (places < 999)
        assert taken[inside] == pytest.approx(places[inside], abs=1e-3)
        assert not taken[~inside].any()
        assert loop is None or (inside.all() and places.min() >= 300 and places.max() < 700)


def test_a_loop_goes_from_in_to_out_and_is_dragged_on_the_ruler(demo):
    demo.editor.go_to(40)
    QTest.keyClick(demo, Qt.Key.Key_I)
    demo.editor.go_to(99)
    QTest.keyClick(demo, Qt.Key.Key_O)
    assert demo.playback.loop == (40, 100)
    layout, shift = demo.score.layout_now(), Qt.KeyboardModifier.ShiftModifier
    stave = layout.staves[0]
    y = round(layout.ruler_top(stave.top) + 8)
    points = [QPoint(round(layout.x_at(stave, bar.start)) + 2, y) for bar in stave.bars[1:3]]
    drag(demo.score.viewport(), *points, modifier=shift)
    rate = demo.editor.project.rate
    assert demo.playback.loop == tuple(frame_at(bar.start, rate) for bar in stave.bars[1:3])


def test_the_picture_fills_the_window_another_one_and_is_zoomed_while_keys_work(demo, qtbot):
    small = demo.picture.width()
    QTest.keyClick(demo, Qt.Key.Key_W)
    qtbot.waitUntil(lambda: demo.picture.width() > 2 * small, timeout=3000)
    assert demo.score.isVisible()
    assert not demo.bench.isVisible()
    demo.editor.go_to(50)
    QTest.keyClick(demo, Qt.Key.Key_Right)
    assert demo.editor.playhead == 51
    for zoom, keys in ((2.0, Qt.Key.Key_2), (1.0, Qt.Key.Key_1)):
        QTest.keyClick(demo, keys, Qt.KeyboardModifier.ControlModifier)
        assert demo.picture.device_pixels() == (1280 * zoom, 720 * zoom)
    before = demo.picture.point_of(0, 0)
    drag(demo.picture, QPoint(400, 200), QPoint(300, 190))
    assert demo.picture.point_of(0, 0) == before - QPointF(0, 10)  # across, all of it is in sight
    sharp = []
    demo.large._skimmer.drawn.connect(sharp.append)
    demo.editor.go_to(60)
    qtbot.waitUntil(lambda: bool(sharp) and sharp[-1].key == 60, timeout=10_000)
    assert sharp[-1].picture.shape == (720, 1280, 3)
    QTest.keyClick(demo, Qt.Key.Key_W)
    assert demo.bench.isVisible()
    QTest.keyClick(demo, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    second = demo.large.second
    qtbot.waitExposed(second)
    QTest.keyClick(demo, Qt.Key.Key_Z)
    demo.large.close_second()
    assert demo.large.second is None
    QTest.keyClick(demo, Qt.Key.Key_F11)
    assert demo.large.second.isFullScreen()
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    assert demo.large.second is None
