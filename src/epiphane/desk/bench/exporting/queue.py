"""The queue of exports on the export's page: each with how far it is, and what can be done with it."""

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QDrag, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QProgressBar, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from epiphane.desk.control.exports import ExportDesk
from epiphane.desk.look.fields import button, in_a_row, label, wrapped
from epiphane.disk import short_name
from epiphane.exporting.queue import QueuedExport, Stage
from epiphane.timing import clock_text
from epiphane.wording import tr


class QueueRows(QWidget):
    """A row for each export, kept up to date; hidden while there is none."""

    def __init__(self, exports: ExportDesk) -> None:
        super().__init__()
        self._exports = exports
        self._rows: dict[str, _Row] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 2, 0, 0)
        self._column.setSpacing(8)
        exports.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the queue as it is now."""
        entries = self._exports.entries
        for name in self._rows.keys() - {entry.id for entry in entries}:
            row = self._rows.pop(name)
            row.hide()
            row.deleteLater()
        waiting = [entry.id for entry in entries if entry.stage is Stage.WAITING]
        for number, entry in enumerate(entries):
            if entry.id not in self._rows:
                self._rows[entry.id] = _Row(self._exports, entry)
            row = self._rows[entry.id]
            if self._column.indexOf(row) != number:
                self._column.insertWidget(number, row)
                row.show()  # the layout would do so only some time later
            row.show_entry(entry, may_come_first=entry.id in waiting[1:])
        self.setVisible(bool(entries))
        self.updateGeometry()


class _Row(QWidget):
    """One export: its name, a bar, what is said of it, and buttons for what can be done."""

    def __init__(self, exports: ExportDesk, entry: QueuedExport) -> None:
        super().__init__()
        self._name = _FilmName(entry)
        self._told = label("")
        self._words = wrapped("")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._bar.setAccessibleName(tr("Progress of {name}", name=entry.path.name))
        name = entry.id
        self._buttons = {
            "first": _quiet(tr("First"), tr("Make it before the others"), lambda: exports.put_first(name)),
            "pause": _quiet(
                tr("Pause"), tr("Have it wait; what is ready stays"), lambda: exports.pause(name)
            ),
            "on": _quiet(tr("Go on"), tr("Go on from what is ready"), lambda: exports.go_on(name)),
            "again": _quiet(tr("Try again"), tr("Make it once more"), lambda: exports.go_on(name)),
            "stop": _quiet(
                tr("Stop"),
                tr("Stop the export; nothing is left under the film's name"),
                lambda: exports.stop(name),
            ),
            "show": _quiet(tr("Show"), tr("Open the folder in which it lies"), self._show_folder),
            "forget": _quiet(
                tr("Clear"), tr("Take it out of this list; the file stays"), lambda: exports.forget(name)
            ),
        }
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addWidget(in_a_row(self._name, self._told, right=tuple(self._buttons.values())))
        column.addWidget(self._bar)
        column.addWidget(self._words)

    def show_entry(self, entry: QueuedExport, *, may_come_first: bool) -> None:
        """Show an export as it is now."""
        shown = {
            Stage.WAITING: {"stop", *(["first"] if may_come_first else [])},
            Stage.RUNNING: {"pause", "stop"},
            Stage.PAUSED: {"on", "stop"},
            Stage.DONE: {"show", "forget"},
            Stage.FAILED: {"again", "forget"},
        }[entry.stage]
        for key, one in self._buttons.items():
            one.setVisible(key in shown)
        self._name.show_entry(entry)
        self._told.setText(_told(entry))
        self._bar.setVisible(entry.stage in (Stage.RUNNING, Stage.PAUSED))
        self._bar.setValue(round(1000 * entry.share))
        self._words.setText(" ".join(one[:1].upper() + one[1:] for one in entry.words))
        self._words.setVisible(bool(entry.words))
        self._path = entry.path

    def _show_folder(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._path.parent)))


class _FilmName(QLabel):
    """The name of a film; one that is ready can be dragged to where files are taken."""

    def __init__(self, entry: QueuedExport) -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        self._pressed: QPoint | None = None
        self.show_entry(entry)

    def show_entry(self, entry: QueuedExport) -> None:
        """Show the name of an export, and whether it can be dragged."""
        self._entry = entry
        self.setText(short_name(entry.path))
        is_ready = entry.stage is Stage.DONE
        where = tr("{path} · drag it to where you need it", path=entry.path) if is_ready else str(entry.path)
        self.setToolTip(where)
        self.setCursor(Qt.CursorShape.OpenHandCursor if is_ready else Qt.CursorShape.ArrowCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() is Qt.MouseButton.LeftButton:
            self._pressed = event.position().toPoint()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pressed = None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._entry.stage is not Stage.DONE:
            return
        way = event.position().toPoint() - self._pressed
        if way.manhattanLength() < QApplication.startDragDistance():
            return
        self._pressed = None
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self._entry.path))])
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.CopyAction)


def _told(entry: QueuedExport) -> str:
    """Return how far an export is, in a few words."""
    match entry.stage:
        case Stage.RUNNING:
            remaining = None if entry.progress is None else entry.progress.remaining
            left = "" if remaining is None else tr(", {time} left", time=clock_text(remaining + 0.99))
            return f"{entry.share:.0%}{left}"
        case Stage.PAUSED:
            return tr("paused at {share:.0%}", share=entry.share)
        case Stage.WAITING:
            return tr("waits")
        case Stage.DONE:
            elapsed = 0.0 if entry.progress is None else entry.progress.elapsed
            return tr("ready, made in {time}", time=clock_text(elapsed)) if elapsed >= 1 else tr("ready")
        case Stage.FAILED:
            return tr("not made")


def _quiet(text: str, tip: str, pressed: Callable[[], object]) -> QPushButton:
    made = button(text, tip, pressed)
    made.setProperty("quiet", True)
    return made
