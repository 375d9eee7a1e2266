"""A real window, offscreen, with everything stopped at the end."""

import numpy as np
import pytest
from helpers import click_track, grey_clip, write_sound

from epiphane.demo.project import open_basic_demo
from epiphane.desk.control.files import hear_to_play
from epiphane.desk.engine.sound import SimulatedSound
from epiphane.desk.shell.app import make_application
from epiphane.desk.shell.window import Window
from epiphane.disk import withhold
from epiphane.lru import LruCache


@pytest.fixture(scope="session")
def qapp():
    """The dressed application, in place of a bare one."""
    return make_application(["epiphane"])


@pytest.fixture(scope="session")
def drawn_before():
    """Return a cache of thumbnails: equal plans give equal pictures, in whichever window."""
    return LruCache(1500)


@pytest.fixture
def make_window(qtbot, tmp_path, monkeypatch, drawn_before):
    """Return a maker of windows of 1280x800 that keep their journals in a folder of the test's."""
    # The clock of a sound card is the subject of the benchmark; here it is the system's.
    monkeypatch.setattr("epiphane.desk.control.playback.open_sound", SimulatedSound)
    monkeypatch.setattr("epiphane.desk.engine.thumbnails.LruCache", lambda _most: drawn_before)
    # Frames far from the playhead are drawn while nothing is done: all the time, in a test of something else.
    monkeypatch.setattr("epiphane.desk.control.playback._FAR_SECONDS", 0.2)
    # Two tests at once take both cores: threads that yield to them would be waited for at each end.
    monkeypatch.setattr("epiphane.desk.engine.jobs._NICENESS", 0)
    monkeypatch.setattr("epiphane.exporting.queue_process._NICENESS", 0)
    made = []
    monkeypatch.setattr("epiphane.desk.look.asking.ask", _asked_unforeseen)

    # What is tested of lanes stands on two of them, whatever the demo is dressed with.
    monkeypatch.setattr("epiphane.desk.control.files.open_demo", open_basic_demo)

    def make(journals="journals"):
        window = Window(journal_folder=tmp_path / journals)
        window.footage.prepares = False  # the tests of footage turn it on
        window.show()
        qtbot.waitExposed(window)
        made.append(window)
        return window

    yield make
    monkeypatch.setattr("epiphane.desk.look.asking.ask", lambda *_: "Discard")
    for window in made:
        window.close()
        assert not window.jobs.running
        window.deleteLater()
    withhold(())


def _asked_unforeseen(_window, title, text, _answers):
    raise AssertionError(f"the window asks: {title}: {text}")


@pytest.fixture
def window(make_window):
    """An empty window."""
    return make_window()


@pytest.fixture(scope="session")
def hear_once():
    """Return `hear_to_play`, but that it listens once to the same file: two hundred tests want it."""
    heard = {}

    def hear(path, progress, offer=lambda _: None):
        key = path, path.stat().st_mtime_ns
        if key not in heard:
            heard[key] = hear_to_play(path, progress, offer)
        return heard[key]

    return hear


@pytest.fixture
def demo(window, qtbot, hear_once, monkeypatch):
    """A window with the demo, its song heard."""
    monkeypatch.setattr("epiphane.desk.control.files.hear_to_play", hear_once)
    window.files.open_demo()
    qtbot.waitUntil(lambda: window.editor.heard is not None and not window.jobs.running, timeout=30_000)
    return window


@pytest.fixture
def answers(monkeypatch):
    """Return a list: what is put into it answers the next questions of the window."""
    waiting = []
    monkeypatch.setattr("epiphane.desk.look.asking.ask", lambda *_: waiting.pop(0))
    return waiting


@pytest.fixture(scope="session")
def media(tmp_path_factory):
    """A folder with a click track of 120 BPM (from 0.5 s to 16 s) and two grey clips."""
    folder = tmp_path_factory.mktemp("media")
    write_sound(folder / "song.wav", click_track(np.arange(0.5, 16, 0.5), duration=16.5))
    grey_clip(folder / "first.mp4", n_pictures=90)
    grey_clip(folder / "second.mp4", n_pictures=90)
    return folder
