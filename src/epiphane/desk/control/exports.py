"""The queue of exports as the window sees it: what is in it, how far, and what the user wants of it."""

import subprocess
from collections.abc import Callable, Sequence

from msgspec import Struct
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import EXPORT_TOPIC
from epiphane.desk.look import asking
from epiphane.errors import DiskError
from epiphane.exporting.order import ExportOrder
from epiphane.exporting.queue import ExportQueue, QueuedExport, Stage
from epiphane.exporting.queue_process import start_process
from epiphane.wording import tr

_LOOK_MS, _FIRST_MS, _AFTER_FAULT_MS = 400, 1500, 5000
_MOST_FAILED = 3
"""Processes that end with a fault, one after the other: then none is begun until something is asked."""


class ExportDesk(QObject):
    """Puts exports into the queue and looks how they get on; a process of its own makes them.

    Signals
    -------
    changed()
        The list is another, or an export has got on.
    """

    changed = pyqtSignal()

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._queue = ExportQueue.of_user()
        self._process: subprocess.Popen[str] | None = None
        self._n_failed = 0
        self._fault = ""
        self.entries: tuple[QueuedExport, ...] = ()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(_FIRST_MS)  # what a crash broke off goes on, when the window is there

    @property
    def is_busy(self) -> bool:
        """Whether there are exports that are made or wait for it."""
        return any(entry.is_open for entry in self.entries)

    def add(self, orders: Sequence[ExportOrder]) -> None:
        """Put exports at the end of the queue; DiskError if that cannot be."""
        self._n_failed = 0
        for order in orders:
            self._queue.add(order)
        self.look()

    def pause(self, name: str) -> None:
        """Have an export wait; what is ready of it is kept."""
        self._change(lambda: self._queue.pause(name))

    def go_on(self, name: str) -> None:
        """Have an export that waits, or has failed, be made from where it was."""
        is_failed = any(entry.id == name and entry.stage is Stage.FAILED for entry in self.entries)
        again = self._queue.try_again if is_failed else lambda one: self._queue.pause(one, False)
        self._change(lambda: again(name))

    def put_first(self, name: str) -> None:
        """Have an export be made before the others that wait."""
        self._change(lambda: self._queue.put_first(name))

    def stop(self, name: str) -> None:
        """Give an export up; nothing of it stays."""
        self._change(lambda: self._queue.stop(name))

    def forget(self, name: str) -> None:
        """Take an export that has ended out of the list."""
        self._change(lambda: self._queue.forget(name))

    def pause_all(self) -> None:
        """Have everything wait that is being made, or is to be."""
        for entry in self.entries:
            if entry.is_open:
                self.pause(entry.id)

    def look(self) -> None:
        """Look how far everything is, and see to it that what waits is made."""
        try:
            entries = tuple(self._queue.entries())
            self._see_to_work()
        except DiskError as error:
            self._timer.start(_AFTER_FAULT_MS)
            if str(error) != self._fault:
                self._say(str(error), is_fault=True)
            self._fault = str(error)
            return
        self._fault = ""
        before = {entry.id: entry for entry in self.entries}
        is_other = entries != self.entries
        self.entries = entries
        if self.is_busy or self._process is not None:
            self._timer.start(_LOOK_MS)
        else:
            self._timer.stop()
        if is_other:
            self.changed.emit()
        for entry in entries:
            was = before.get(entry.id)
            if was is not None and was.stage is not entry.stage:
                self._tell_end(entry)

    def may_leave(self, window: QWidget) -> bool:
        """Ask what becomes of films that are still made, and return whether the window may close."""
        self.look()
        if not self.is_busy:
            return True
        go_on, pause = tr("Go on without the window"), tr("Pause them")
        text = tr("Films are still being made. They can go on, or be paused: what is ready stays.")
        answer = asking.ask(window, tr("Films are being made"), text, (go_on, pause, asking.CANCEL))
        if answer == pause:
            self.pause_all()
        return answer != asking.CANCEL

    def close(self) -> None:
        """Look no more; the process goes on."""
        self._timer.stop()

    def _tell_end(self, entry: QueuedExport) -> None:
        name, words = entry.path.name, " ".join(entry.words)
        if entry.stage is Stage.DONE:
            said = tr(
                "{name} is ready, in {folder}. {words}", name=name, folder=entry.path.parent, words=words
            )
            self._say(said.strip(), is_fault=bool(words))
        elif entry.stage is Stage.FAILED:
            self._say(tr("{name} could not be made: {words}", name=name, words=words), is_fault=True)

    def _say(self, message: str, *, is_fault: bool) -> None:
        self._editor.said.emit(message, is_fault)

    def _change(self, change: Callable[[], object]) -> None:
        self._n_failed = 0
        try:
            change()
        except DiskError as error:
            self._say(str(error), is_fault=True)
        self.look()

    def _see_to_work(self) -> None:
        """Begin the process of the queue where there is work and nobody is at it."""
        if self._process is not None and self._process.poll() is not None:
            self._n_failed = self._n_failed + 1 if self._process.returncode else 0
            self._process = None
            if self._n_failed == _MOST_FAILED:
                said = tr(
                    "Exports cannot go on: look whether there is room on the disk. They are tried again with"
                    " the next export, or when Epiphane is opened again."
                )
                self._say(said, is_fault=True)
        if self._n_failed >= _MOST_FAILED:
            return
        if self._process is None and self._queue.has_work() and not self._queue.is_at_work():
            self._process = start_process()


class ShownExport(Struct, frozen=True):
    """The export that is being made, as the foot of the window shows a job."""

    topic = EXPORT_TOPIC
    title: str
    share: float
    remaining: float | None
    cancel: Callable[[], object]


def shown_exports(desk: ExportDesk) -> list[ShownExport]:
    """Return the exports that are made or wait for it, the one at work first."""
    entries = [one for one in desk.entries if one.is_open]
    entries.sort(key=lambda one: one.stage is not Stage.RUNNING)
    return [_shown(desk, one) for one in entries]


def _shown(desk: ExportDesk, entry: QueuedExport) -> ShownExport:
    remaining = None if entry.progress is None else entry.progress.remaining
    title = tr("Exporting {name}", name=entry.path.name)
    return ShownExport(title, entry.share, remaining, lambda: desk.stop(entry.id))
