"""The strips at the foot of the window: running jobs, and messages to the user."""

from collections.abc import Callable, Sequence
from typing import Protocol

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
)

from epiphane.desk.control.exports import ExportDesk, shown_exports
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.timing import clock_text
from epiphane.wording import plural, tr

_PLAIN_SECONDS = 8
_LINE_HEIGHT, _MOST_LINES = 18, 5
_LONGEST = 700


def _as_sentence(text: str) -> str:
    """Begin with a capital, unless that is a file's name, and end with a full stop."""
    is_name = "." in text.split(" ", 1)[0]
    return (text if is_name else text[:1].upper() + text[1:]) + ("" if text.endswith(".") else ".")


FOOT_HEIGHT = 34
_GROUND = tr(
    "{{name}} {{{{ background: {name}; border-top: 1px solid {other}; }}}}",
    name=theme.RAISED.name(),
    other=theme.RULE.name(),
)


class ShownJob(Protocol):
    """Work that the foot of the window tells of."""

    @property
    def topic(self) -> str: ...
    @property
    def title(self) -> str: ...
    @property
    def share(self) -> float: ...
    @property
    def remaining(self) -> float | None: ...
    @property
    def cancel(self) -> Callable[[], object]: ...


class JobStrip(QFrame):
    """The foot of the window: the oldest job at work, how far, how long, and a way to stop it.

    It is always there, so that nothing moves under the pointer when a job begins or ends; while none is at
    work it tells the shape of the film.
    """

    def __init__(self, jobs: Jobs, exports: ExportDesk) -> None:
        super().__init__()
        self._jobs, self._exports = jobs, exports
        self._left_out = ""
        self._idle_text = ""
        self.setFixedHeight(FOOT_HEIGHT)
        self.setProperty("panel", True)
        self._title = QLabel()
        self._title.setTextFormat(Qt.TextFormat.PlainText)
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(220)
        self._left = label("")
        self._left.setMinimumWidth(112)
        self._idle = label("")
        self._stop_button = QPushButton(tr("Stop"))
        self._stop_button.setProperty("quiet", True)
        self._stop_button.setToolTip(tr("Stop this"))
        self._stop_button.clicked.connect(self._stop)
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 0, 14, 0)
        box.setSpacing(12)
        for widget in (self._idle, self._title, self._bar, self._left):
            box.addWidget(widget)
        box.addStretch(1)
        box.addWidget(self._stop_button)
        jobs.changed.connect(self.refresh)
        exports.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the job at work, or what is told where none is."""
        running = self._running()
        for widget in (self._title, self._bar, self._left, self._stop_button):
            widget.setVisible(bool(running))
        self._idle.setVisible(not running)
        self._idle.setText(self._idle_text)
        if running:
            job = running[0]
            others = tr(" and {count} more", count=len(running) - 1) if len(running) > 1 else ""
            self._title.setText(job.title + others)
            self._bar.setValue(round(job.share * 1000))
            remaining = job.remaining
            self._left.setText(
                "" if remaining is None else tr("about {time} left", time=clock_text(remaining + 0.99))
            )

    @property
    def is_idle(self) -> bool:
        """Whether no job is at work that it shows."""
        return not self._running()

    def set_idle_text(self, text: str) -> None:
        """Tell something while no job is at work."""
        self._idle_text = text
        self.refresh()

    def leave_out(self, topic: str) -> None:
        """Say nothing of jobs of a topic, because another panel shows them."""
        if topic != self._left_out:
            self._left_out = topic
            self.refresh()

    def _running(self) -> list[ShownJob]:
        running: list[ShownJob] = [*self._jobs.running, *shown_exports(self._exports)]
        return [job for job in running if job.topic != self._left_out]

    def _stop(self) -> None:
        running = self._running()
        if running:
            running[0].cancel()


class LeftOutStrip(QFrame):
    """What was not taken in and why, all of it, until it is closed; what comes later is added.

    Signals
    -------
    changed()
        It tells more, or nothing.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setStyleSheet(_GROUND.format(name="LeftOutStrip"))
        self._faults: list[str] = []
        self._head = label("", is_quiet=False)
        self._list = QPlainTextEdit()
        self._list.setReadOnly(True)
        self._list.setFrameShape(QFrame.Shape.NoFrame)
        self._list.setAccessibleName(tr("Not taken in"))
        self._list.setStyleSheet("background: transparent;")
        close = QPushButton(theme.icon("x", theme.QUIET, 15), "")
        close.setProperty("quiet", True)
        close.setAccessibleName(tr("Close the list"))
        close.setToolTip(tr("Close the list"))
        close.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        close.clicked.connect(self.clear)
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 4, 10, 4)
        grid.addWidget(self._head, 0, 0)
        grid.addWidget(close, 0, 1)
        grid.addWidget(self._list, 1, 0, 1, 2)
        grid.setColumnStretch(0, 1)
        self.hide()

    def add(self, faults: Sequence[str]) -> None:
        """Tell more files, a sentence for each."""
        self._faults += [fault for fault in faults if fault not in self._faults]
        number = len(self._faults)
        self._head.setText(plural(number, "One file was not taken in", "{} files were not taken in"))
        self._list.setPlainText("\n".join(self._faults))
        self.show()
        self.changed.emit()

    def clear(self) -> None:
        """Close it, and begin anew with what comes next."""
        self._faults.clear()
        self.hide()
        self.changed.emit()

    @property
    def text(self) -> str:
        """What is being told, or nothing."""
        return self._list.toPlainText() if self._faults else ""

    def height_at(self, width: int) -> int:
        """Return how high it is, in pixels: a few lines, then it scrolls."""
        return 48 + _LINE_HEIGHT * min(len(self._faults) + 1, _MOST_LINES)


class NoticeStrip(QFrame):
    """One sentence for the user, over the foot of what is shown. It never takes the keyboard.

    Faults stay until they are closed.

    Signals
    -------
    changed()
        It says something else, or nothing: who holds it has to find it another place.
    """

    changed = pyqtSignal()

    def __init__(self, name: str = tr("Notice")) -> None:
        super().__init__()
        self.setStyleSheet(_GROUND.format(name="NoticeStrip"))
        self._icon = QLabel()
        self._text = QLabel()
        self._text.setWordWrap(True)
        self._text.setAccessibleName(name)
        self._text.setTextFormat(Qt.TextFormat.PlainText)
        self._action = QPushButton()
        self._action.clicked.connect(self._act)
        self._then: Callable[[], None] | None = None
        close = QPushButton(theme.icon("x", theme.QUIET, 15), "")
        close.setProperty("quiet", True)
        close.setAccessibleName(tr("Close the notice"))
        close.setToolTip(tr("Close the notice"))
        close.setFocusPolicy(
            Qt.FocusPolicy.NoFocus
        )  # closed, it would hand the keyboard to some other button
        close.clicked.connect(self.hide)
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 0, 10, 1)
        box.setSpacing(10)
        box.addWidget(self._icon)
        box.addWidget(self._text, 1)
        box.addWidget(self._action)
        box.addWidget(close)
        self._timer = debounced(self, _PLAIN_SECONDS * 1000, self.hide)
        self.hide()

    def say(self, text: str, is_fault: bool) -> None:
        """Show a message; one that is no fault disappears after some seconds."""
        self._show(text, "triangle-alert" if is_fault else "info")
        self._action.hide()
        if not is_fault:
            self._timer.start()

    def offer(self, text: str, action: str, then: Callable[[], None]) -> None:
        """Show a sentence and a button that does something about it."""
        self._show(text, "info")
        self._action.setText(action)
        self._then = then
        self._action.show()

    @property
    def text(self) -> str:
        """What is being said, or nothing."""
        return self._text.text() if self.isVisible() else ""

    def _show(self, text: str, icon: str) -> None:
        self._timer.stop()
        self._icon.setPixmap(theme.icon_pixmap(icon, theme.TEXT.name(), 16))
        self._text.setText(_as_sentence(text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"))
        self.show()
        self.changed.emit()

    def height_at(self, width: int) -> int:
        """Return how high it is at a width, both in pixels."""
        wanted = self.heightForWidth(width)
        return max(FOOT_HEIGHT, wanted if wanted > 0 else self.sizeHint().height())

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.changed.emit()

    def _act(self) -> None:
        self.hide()
        if self._then is not None:
            self._then()
