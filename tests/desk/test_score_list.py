"""The score as a list: everything in it is walked through and changed by keys, and read aloud."""

import os
import shutil
import subprocess
import sys
import time
from contextlib import ExitStack, closing
from pathlib import Path

import pytest
from jeepney import DBusAddress, new_method_call
from jeepney.io.blocking import open_dbus_connection
from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QLineEdit,
    QPushButton,
    QWidget,
)

from epiphane.desk.bench.shots.strip import ClipStrip
from epiphane.desk.bench.song.fade import FadePicture
from epiphane.desk.bench.song.tempo_curve import TempoCurve
from epiphane.desk.control.selection import (
    BeatSelection,
    CuesSelection,
    DressingSelection,
    ExportSelection,
    FillingSelection,
    FootageSelection,
    LaneSelection,
    LanesSelection,
    PartSelection,
    PulseSelection,
    RoughCutSelection,
    ShotSelection,
    SongSelection,
)
from epiphane.desk.look.fields import RangeBar
from epiphane.desk.picture.lane_meters import LaneMeters
from epiphane.desk.picture.view import PictureView
from epiphane.desk.shell.finder import FindField

_LAUNCHER = "/usr/libexec/at-spi-bus-launcher"
_ACCESSIBLE = "org.a11y.atspi.Accessible"
_ROOT = "/org/a11y/atspi/accessible/root"
_FOCUSABLE, _SHOWING = 1 << 11, 1 << 25  # of the states that AT-SPI numbers


@pytest.fixture
def listed(demo):
    """The demo's score as a list, all of it open."""
    QTest.keyClick(
        demo, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    demo.score_list.expandAll()
    return demo


def row_of(window):
    """Return the cells of the row that keys are on."""
    index = window.score_list.currentIndex()
    return [index.siblingAtColumn(column).data() for column in range(4)]


def go_to(window, selection):
    """Select a thing as if by the score, and give the list the keyboard."""
    window.editor.select(selection)
    window.score_list.setFocus()


def test_down_walks_through_all_that_the_score_has_and_selects_it(listed):
    listed.score_list.setCurrentIndex(listed.score_list.model().index(0, 0))
    editor, project, seen = listed.editor, listed.editor.project, []
    while not seen or seen[-1][0] != listed.score_list.currentIndex():
        seen.append((listed.score_list.currentIndex(), editor.selection, editor.playhead, row_of(listed)))
        QTest.keyClick(listed.score_list, Qt.Key.Key_Down)
    chosen = {selection for _, selection, _, _ in seen}
    assert {SongSelection(), *(ShotSelection(one.id) for one in project.shots)} <= chosen
    assert {LaneSelection(one.id) for one in project.lanes} <= chosen
    assert {BeatSelection(number) for number in range(len(project.song.beats))} <= chosen
    cues = [(one.lane.id, cue.hit.time) for one in editor.cues.lanes for cue in one.cues]
    assert {CuesSelection(lane, frozenset({(lane, hit)})) for lane, hit in cues} <= chosen
    frames = {one.start for one in project.shots}
    assert frames <= {playhead for _, selection, playhead, _ in seen if isinstance(selection, ShotSelection)}


def test_nothing_is_deleted_from_a_heading_and_a_new_project_shows_the_score_again(listed, answers):
    project = listed.editor.project
    go_to(listed, ShotSelection(project.shots[0].id))
    QTest.keyClick(listed.score_list, Qt.Key.Key_Left)  # to what it lies in
    assert row_of(listed)[0] == "Shots" and listed.editor.selection == SongSelection()
    QTest.keyClick(listed.score_list, Qt.Key.Key_Delete)
    assert listed.editor.project == project
    listed.actions_by_id["new"].trigger()
    assert not listed.actions_by_id["score_list"].isChecked() and not listed.score_list.isVisible()


def test_what_keys_change_is_read_in_the_row_at_once(listed, qtbot):
    editor = listed.editor
    flash = editor.cues.lanes[0]
    keys = [(flash.lane.id, cue.hit.time) for cue in flash.cues]
    go_to(listed, CuesSelection(flash.lane.id, frozenset({keys[1]})))
    assert row_of(listed)[0] == "Cue 2"
    QTest.keyClick(listed.score_list, Qt.Key.Key_X)
    qtbot.waitUntil(lambda: row_of(listed)[3].endswith(" · off"))
    QTest.keyClick(listed.score_list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert editor.selection.cues == frozenset(keys[1:3])
    QTest.keyClick(listed.score_list, Qt.Key.Key_Minus)
    weaker = [cue.strength for cue in editor.cues.lanes[0].cues]
    assert weaker[2] < flash.cues[2].strength and weaker[3] == flash.cues[3].strength

    go_to(listed, LaneSelection(flash.lane.id))
    QTest.keyClick(listed.score_list, Qt.Key.Key_Delete)
    names = [row[0] for row in rows_of(listed.score_list.model(), QModelIndex())]
    qtbot.waitUntil(lambda: "Flash" not in [r[0] for r in rows_of(listed.score_list.model(), QModelIndex())])
    assert "Flash" in names
    QTest.keyClick(listed, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: [r[0] for r in rows_of(listed.score_list.model(), QModelIndex())] == names)


def test_two_lanes_are_marked_and_enter_goes_to_the_bench_and_the_key_back_to_the_score(listed):
    first, second = listed.editor.project.lanes[:2]
    listed.score_list.collapseAll()
    go_to(listed, LaneSelection(first.id))
    assert row_of(listed)[0] == "Flash"  # its heading was opened for it
    QTest.keyClick(listed.score_list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert listed.editor.selection == LanesSelection(second.id, frozenset({first.id, second.id}))
    QTest.keyClick(listed.score_list, Qt.Key.Key_Return)
    assert listed.bench.isAncestorOf(QApplication.focusWidget())
    listed.actions_by_id["score_list"].trigger()
    assert listed.score.isVisible() and not listed.score_list.isVisible()


def rows_of(model, parent):
    """Return the cells of all rows, from the top down."""
    rows = []
    for number in range(model.rowCount(parent)):
        index = model.index(number, 0, parent)
        rows += [[model.index(number, column, parent).data() for column in range(4)], *rows_of(model, index)]
    return rows


# By keys alone

_HAVE_KEYS_ELSEWHERE = {
    FindField: "F10",
    PictureView: "what is dragged on it has fields on the bench",
    LaneMeters: "lanes are selected by Ctrl + Down, and muted by M",
    ClipStrip: "moments by N and Shift + N, what is used by [ and ], walked by comma and full stop",
    RangeBar: "a field for its number stands beside it",
    TempoCurve: "beats are selected in the list, or by D",
    FadePicture: "a field for the bend stands beside it",
}


def test_tab_gets_to_all_that_the_mouse_can_press(demo):
    lane, cue = demo.editor.project.lanes[0].id, demo.editor.cues.lanes[0].cues[2]
    demo.activateWindow()
    for selection in (
        SongSelection(),
        PulseSelection(demo.editor.project.pulses[0].id),
        PartSelection(0),
        LaneSelection(lane),
        CuesSelection(lane, frozenset({(lane, cue.hit.time)})),
        ShotSelection(demo.editor.project.shots[1].id),
        FootageSelection(demo.editor.project.footage[0].id),
        FillingSelection(),
        DressingSelection(),
        RoughCutSelection(),
        ExportSelection(),
    ):
        demo.editor.select(selection)
        QTest.qWait(30)
        reached = reached_by_tab(demo)
        missed = [one for one in pressable(demo) if not is_reached(one, reached)]
        assert not missed, (selection, [(type(one).__name__, one.accessibleName()) for one in missed])


def reached_by_tab(window):
    """Return all widgets that Tab goes to, one after the other, until it comes round."""
    window.take_keyboard()
    reached = []
    while QApplication.focusWidget() not in reached:
        reached.append(QApplication.focusWidget())
        QTest.keyClick(reached[-1], Qt.Key.Key_Tab)
    return reached


def pressable(window):
    """Return the widgets that can be seen and do something when they are pressed."""
    usual = (QAbstractButton, QLineEdit, QComboBox, QAbstractItemView)
    for one in window.findChildren(QWidget):
        own = [kind for kind in type(one).__mro__ if kind.__module__.startswith("epiphane.")]
        is_pressed = isinstance(one, usual) or any("mousePressEvent" in vars(kind) for kind in own)
        if one.isVisible() and one.isEnabled() and is_pressed:
            yield one


def is_reached(widget, reached):
    """Return whether keys get to a widget: by Tab, as one of a row of which one is chosen, or elsewhere."""
    group = widget.group() if isinstance(widget, QAbstractButton) else None
    is_beside = group is not None and group.exclusive() and any(one in reached for one in group.buttons())
    around = any(widget.isAncestorOf(one) or one.isAncestorOf(widget) for one in reached)
    scrolls = isinstance(widget, QPushButton) and widget.text().endswith("more below")
    return widget in reached or around or is_beside or scrolls or type(widget) in _HAVE_KEYS_ELSEWHERE


# Read aloud

_APPLICATION = """
import pathlib, sys
from epiphane.demo.project import open_basic_demo
from epiphane.desk.shell.app import make_application
from epiphane.desk.shell.window import Window
app = make_application(["epiphane"])
window = Window(journal_folder=pathlib.Path(sys.argv[1]))
window.editor.open(open_basic_demo(), None)
window.show()
window.toggle_list()
window.score_list.expandAll()
print("ready", flush=True)
app.exec()
"""


@pytest.fixture
def read_aloud(tmp_path):
    """Return what asks a window with the demo's score as a list all that screen readers ask."""
    if not (shutil.which("Xvfb") and shutil.which("dbus-daemon") and Path(_LAUNCHER).exists()):
        pytest.skip("needs a display, a message bus and its accessibility service: `make test` installs them")
    with ExitStack() as ends:

        def start(*command, **more):
            started = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, **more)
            ends.callback(lambda: (started.kill(), started.wait(), started.stdout.close()))
            return started

        display = start("Xvfb", "-displayfd", "1", "-screen", "0", "1280x800x24", stderr=subprocess.DEVNULL)
        os.environ.pop("WAYLAND_DISPLAY", None)
        env = {**os.environ, "DISPLAY": f":{display.stdout.readline().strip()}"}
        bus = start(
            "dbus-daemon", "--session", "--nofork", "--print-address", env=env, stderr=subprocess.DEVNULL
        )
        env["DBUS_SESSION_BUS_ADDRESS"] = address = bus.stdout.readline().strip()
        start(_LAUNCHER, "--launch-immediately", env=env, stderr=subprocess.DEVNULL)
        env |= {"QT_QPA_PLATFORM": "xcb", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"}
        session = ends.enter_context(closing(open_dbus_connection(address)))
        ask_bus = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
        found = None
        for _ in range(100):  # until the service is there
            found = session.send_and_get_reply(new_method_call(ask_bus, "GetAddress")).body[0]
            if found.startswith("unix:"):
                break
            time.sleep(0.1)
        window = start(sys.executable, "-c", _APPLICATION, str(tmp_path), env=env)
        assert window.stdout.readline() == "ready\n"
        yield Reader(ends.enter_context(closing(open_dbus_connection(found))))


class Reader:
    """Asks the window's accessibility interface, as screen readers do."""

    def __init__(self, bus):
        self._bus = bus

    def root(self):
        """Return the application, once it has told that it is there."""
        for _ in range(100):
            found = self.ask(("org.a11y.atspi.Registry", _ROOT), "GetChildren")
            if found:
                return found[0]
            time.sleep(0.1)
        raise AssertionError("no application is known to the accessibility service")

    def ask(self, thing, method, signature=None, body=(), interface=_ACCESSIBLE):
        """Return what a method of a thing answers."""
        name, path = thing
        address = DBusAddress(path, name, interface)
        reply = self._bus.send_and_get_reply(new_method_call(address, method, signature, body), timeout=30)
        return reply.body[0] if reply.body else None

    def name(self, thing):
        """Return how a thing is called aloud."""
        asked = (_ACCESSIBLE, "Name")
        return self.ask(thing, "Get", "ss", asked, "org.freedesktop.DBus.Properties")[1]

    def seen(self, thing):
        """Return a thing and all that is in it and is seen; of a list itself alone."""
        found = [thing]
        if self.ask(thing, "GetRoleName") not in ("tree", "list"):
            for inner in self.ask(thing, "GetChildren"):
                if self.ask(inner, "GetState")[0] & _SHOWING:
                    found += self.seen(inner)
        return found


def test_a_screen_reader_is_told_the_names_of_all_fields_and_all_of_the_score(read_aloud):
    seen = read_aloud.seen(read_aloud.root())
    names = {thing: read_aloud.name(thing) for thing in seen}
    focusable = [one for one in seen if read_aloud.ask(one, "GetState")[0] & _FOCUSABLE]
    assert len(focusable) > 20
    assert not [read_aloud.ask(one, "GetRoleName") for one in focusable if not names[one]]

    score = next(one for one, name in names.items() if name == "Score as a list")
    told = [read_aloud.name(one) for one in read_aloud.ask(score, "GetChildren")]
    assert "1. rails, bar 1.1, 0:00.00, 4.27 s long, shows 2.57 s, moment on frame 96" in told
    assert "Flash, 14 cues" in told
    cue = next(one for one in told if one.startswith("Cue 4, bar 4.1"))
    assert "peak on frame 192" in cue and "strength 40%" in cue
