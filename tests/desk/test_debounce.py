"""Telling later: a timer says nothing for an object that is gone."""

import gc
import time

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.engine.debounce import debounced


def test_a_debounced_signal_says_nothing_once_its_object_was_collected_as_garbage(qapp, qtbot):
    class Teller(QObject):
        told = pyqtSignal()

        def __init__(self, parent):
            super().__init__(parent)
            self.timer = debounced(self, 5, self.told)
            self.timer.start()

    class Owner(QObject):
        def __init__(self):
            super().__init__()
            self.itself, self.teller = self, Teller(self)

    heard, alive = [], Owner()
    alive.teller.told.connect(lambda: heard.append("told"))
    Owner().deleteLater()  # its timer ends with the next loop of events, its objects in Python before
    gc.collect()
    time.sleep(0.01)
    with qtbot.captureExceptions() as raised:
        qapp.processEvents()
    assert heard == ["told"]
    assert not raised
