"""What the desktop is set to for everybody: larger text and less motion; and the window on little room."""

import os
import shutil
import subprocess
import sys
import threading
from contextlib import closing

import pytest
from jeepney import HeaderFields, MessageType, new_method_return, new_signal
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import open_dbus_connection
from jeepney.wrappers import DBusAddress
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QLabel, QWidget

from epiphane.desk.control.selection import LaneSelection
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.files.settings import note_desktop_text_size, text_size

_PORTAL, _PATH = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
_TEXT = ("org.gnome.desktop.interface", "text-scaling-factor")
_MOVES = ("org.gnome.desktop.interface", "enable-animations")
_MOTION = ("org.freedesktop.appearance", "reduced-motion")
_APPLICATION = """
from PyQt6.QtCore import QCoreApplication
from epiphane.desk.shell.desktop_wishes import DesktopWishes
app = QCoreApplication([])
wishes = DesktopWishes()
wishes.text_size_wished.connect(lambda size: print("text", size, flush=True))
wishes.less_motion_wished.connect(lambda is_less: print("less motion", is_less, flush=True))
wishes.ask()
app.exec()
"""


@pytest.fixture
def portal():
    """A bus with a portal that answers as those of desktops do: a setting in a variant in another."""
    if not shutil.which("dbus-daemon"):
        pytest.skip("needs a message bus: `make test` installs it")
    command = ("dbus-daemon", "--session", "--nofork", "--print-address")
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as bus:
        try:
            address = bus.stdout.readline().strip()
            with closing(open_dbus_connection(address)) as connection:
                connection.send_and_get_reply(message_bus.RequestName(_PORTAL))
                yield address, connection
        finally:
            bus.kill()


def answer(connection, known):
    """Answer three questions for settings: of those that are not known by nonsense."""
    left = 3
    while left:
        asked = connection.receive()
        header = asked.header
        is_call = header.message_type is MessageType.method_call
        if is_call and header.fields[HeaderFields.member] == "Read":
            left -= 1
            reply = new_method_return(asked, "v", (("v", known.get(asked.body, ("s", "none"))),))
            connection.send(reply)


def test_larger_text_and_less_motion_are_asked_of_the_desktop_and_heard_when_they_change(portal):
    address, connection = portal
    asked = threading.Thread(target=answer, args=(connection, {_TEXT: ("d", 1.25), _MOVES: ("b", False)}))
    asked.start()
    env = os.environ | {"DBUS_SESSION_BUS_ADDRESS": address, "QT_QPA_PLATFORM": "offscreen"}
    command = (sys.executable, "-c", _APPLICATION)
    with subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True) as app:
        try:
            assert {app.stdout.readline() for _ in range(2)} == {"text 1.25\n", "less motion True\n"}
            asked.join()
            settings = DBusAddress(_PATH, interface="org.freedesktop.portal.Settings")
            for value in (("s", "nonsense"), ("d", 1.5)):
                connection.send(new_signal(settings, "SettingChanged", "ssv", (*_TEXT, value)))
            assert app.stdout.readline() == "text 1.5\n"
            # One of two settings that ask for less is enough.
            for wish, value, is_less in (
                (_MOTION, ("u", 1), True),
                (_MOVES, ("b", True), True),
                (_MOTION, ("u", 0), False),
            ):
                connection.send(new_signal(settings, "SettingChanged", "ssv", (*wish, value)))
                assert app.stdout.readline() == f"less motion {is_less}\n"
        finally:
            app.kill()


def test_text_is_as_large_as_the_desktop_has_it_until_one_chooses(demo):
    note_desktop_text_size(1.25)
    assert text_size() == 1.25
    said = []
    demo.editor.said.connect(lambda text, _: said.append(text))
    for size in (1.5, 1.0, 1.25):
        demo.actions_by_id["text_size"].trigger()
        assert text_size() == size
        assert f"{size:.0%}" in said[-1]
    note_desktop_text_size(1.5)
    assert text_size() == 1.25


@pytest.mark.parametrize("size", [1.25, 1.5])
def test_no_words_are_cut_where_large_text_leaves_little_room(window, qtbot, size):
    window.fit_on(QSize(round(1280 / size), round(800 / size)))
    window.files.open_demo()  # it tells more than there was when it got its size
    demo = window
    for page in (None, LaneSelection(demo.editor.project.lanes[0].id)):
        if page is not None:
            demo.editor.select(page)
        QTest.qWait(50)
        assert demo.width() <= 1280 / size + 1
        qtbot.waitUntil(lambda: not cut(demo.header) + cut(demo.shelf), timeout=5000)
        assert demo.bench.height() > 0.3 * demo.height()
    shelf = demo.shelf
    QTest.keyClick(shelf._chooser, Qt.Key.Key_Down)
    assert shelf.page is ShelfPage.EFFECTS and shelf.effects.isVisible()
    demo.resize(1280, 800)
    QTest.qWait(50)
    for page in ShelfPage:
        shelf.open_page(page)
        QTest.qWait(20)
        assert shelf._group.checkedButton().isVisible() and not shelf._chooser.isVisible(), page


def cut(panel):
    """Return the words of a panel that are seen and have less room than they need, or lie over others."""
    seen = [one for one in panel.findChildren(QWidget) if isinstance(one, QLabel | QAbstractButton)]
    seen = [one for one in seen if one.isVisible() and one.text()]
    boxes = [(one, one.rect().translated(one.mapTo(panel, one.rect().topLeft()))) for one in seen]
    cut = [one.text() for one, box in boxes if one.width() < one.minimumSizeHint().width()]
    outside = [one.text() for one, box in boxes if not panel.rect().contains(box)]
    return cut + outside
