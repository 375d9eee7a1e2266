"""Background jobs with progress and cancellation; results of cancelled jobs are dropped."""

import contextlib
import os
import threading
import time
import traceback
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from epiphane.errors import CancelledError, EpiphaneError
from epiphane.log import logger, told
from epiphane.wording import tr

_NICENESS = 10
"""A tenth of the share that other threads get (setpriority(2)), where they want all of a core."""
PATIENCE_SECONDS = 5.0
"""For work that was asked to end: a disk that is gone may keep it for ever."""

abandoned: list[threading.Thread | QThread] = []
"""What did not end. It is kept, for a thread that Qt destroys while it runs takes the process with it."""

EXPORT_TOPIC = "export"
"""Of exports, which are no jobs of the window: the export's page shows them itself."""


class Job(QThread):
    """One piece of work in a thread of its own.

    Signals
    -------
    progressed(share: float)
    offered(result)
        Something that can be shown before the work is done.
    succeeded(result), failed(message: str), stopped()
        One of the three, once, in the thread of the window.
    """

    progressed = pyqtSignal(float)
    offered = pyqtSignal(object)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal()

    def __init__(
        self, topic: str, title: str, work: Callable[..., Any], parent: QObject, *, is_offering: bool
    ) -> None:
        super().__init__(parent)
        self.topic = topic
        self.title = title
        self.share = 0.0
        self.started_at = time.monotonic()
        self._work = work
        self._offers = (self.offered.emit,) if is_offering else ()
        self._cancel = threading.Event()

    @property
    def remaining(self) -> float | None:
        """Seconds still to go at the pace so far, or None before that can be told."""
        elapsed = time.monotonic() - self.started_at
        if self.share < 0.02 or elapsed < 0.5:
            return None
        return elapsed / self.share * (1 - self.share)

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._cancel.set()

    def run(self) -> None:
        yield_to_window()
        try:
            result = self._work(self._report, *self._offers)
        except CancelledError:
            self.stopped.emit()
        except EpiphaneError as error:
            logger.info("%s: %s", self.topic, told(error))
            self.failed.emit(str(error))
        except Exception as error:
            traceback.print_exc()
            logger.error("%s: %s", self.topic, told(error))
            self.failed.emit(
                tr("{title} failed: {error}. Save your work and try again.", title=self.title, error=error)
            )
        else:
            logger.info("%s: done in %.2f s", self.topic, time.monotonic() - self.started_at)
            self.succeeded.emit(result)

    def _report(self, share: float) -> None:
        if self._cancel.is_set():
            raise CancelledError("stopped by the user")
        if share - self.share >= 0.002 or share >= 1:
            self.share = share
            self.progressed.emit(share)


class Jobs(QObject):
    """All work in the background. One job of a topic at a time: a newer one stops the older.

    Signals
    -------
    changed()
        A job has begun, got on or ended.
    """

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._running: dict[str, Job] = {}
        self._threads: set[Job] = set()

    @property
    def running(self) -> list[Job]:
        """The jobs at work, oldest first."""
        return list(self._running.values())

    def drop(self, topics: Callable[[str], bool]) -> None:
        """Stop the jobs of some topics and let nobody hear of them any more: what they are for is gone."""
        for topic in [topic for topic in self._running if topics(topic)]:
            self._running.pop(topic).cancel()
        self.changed.emit()

    def is_running(self, topic: str) -> bool:
        """Whether a job of a topic is at work."""
        return topic in self._running

    def start(
        self,
        topic: str,
        title: str,
        work: Callable[..., Any],
        *,
        done: Callable[[Any], None],
        stopped: Callable[[], None] = lambda: None,
        failed: Callable[[str], None] | None = None,
        offered: Callable[[Any], None] | None = None,
    ) -> Job:
        """Begin some work.

        Parameters
        ----------
        topic : str
            What it is about, e.g. ``"song"``.
        title : str
            What the user reads, e.g. ``"Listening to glass.flac"``.
        work : from a Progress to a result
            Runs in another thread; must touch no Qt object. With `offered` it is given a second
            function, to call with what can be shown before the end.
        done, stopped, failed, offered
            Called in the thread of the window. Results of a job that a newer one replaced are
            dropped. Without `failed` the message goes to the signal of that name.
        """
        if topic in self._running:
            self._running[topic].cancel()
        job = Job(topic, title, work, self, is_offering=offered is not None)
        self._running[topic] = job
        self._threads.add(job)

        def finish(then: Callable[[], None]) -> None:
            if self._running.get(topic) is job:
                del self._running[topic]
                self.changed.emit()
                then()

        job.progressed.connect(lambda _share: self.changed.emit())
        if offered is not None:
            job.offered.connect(lambda result: offered(result) if self._running.get(topic) is job else None)
        job.succeeded.connect(lambda result: finish(lambda: done(result)))
        job.stopped.connect(lambda: finish(stopped))
        job.failed.connect(lambda message: finish(lambda: (failed or self.failed.emit)(message)))
        job.finished.connect(lambda: self._threads.discard(job))
        job.start()
        self.changed.emit()
        return job

    def close(self) -> None:
        """Stop everything and wait for it, but not for ever: what hangs in the system is let go of."""
        self._running.clear()
        for job in list(self._threads):
            job.cancel()
        for job in list(self._threads):
            if not job.wait(round(1000 * PATIENCE_SECONDS)):
                abandoned.append(job)
                job.setParent(None)


def yield_to_window() -> None:
    """Have this thread, and those that it will start, run only in what time the window leaves (Linux)."""
    with contextlib.suppress(OSError):  # where the system does not allow it
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICENESS)


def has_abandoned() -> bool:
    """Whether there is work left that did not end when it was asked to: the process has to end without it."""
    return any(one.is_alive() if isinstance(one, threading.Thread) else one.isRunning() for one in abandoned)


def wait_for(thread: threading.Thread) -> bool:
    """Wait for a thread that was asked to end; False if it hangs, and is let go of."""
    thread.join(PATIENCE_SECONDS)
    if thread.is_alive():
        abandoned.append(thread)
        return False
    return True
