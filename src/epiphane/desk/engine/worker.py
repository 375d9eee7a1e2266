"""Threads that wait for something to do, do it, and are waited for when the window closes."""

import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Generic, TypeVar

from epiphane.desk.engine.jobs import wait_for, yield_to_window
from epiphane.errors import CancelledError

Task = TypeVar("Task")


class Worker(Generic[Task]):
    """Threads that do one task after the other.

    Parameters
    ----------
    name : str
        Of the threads.
    take : to a task or None
        What is to be done next, or None; called while `lock` is held, so that wishes can be changed with it.
    work : from a task
        Does it, in one of the threads.
    patience : to seconds or None
        After which `take` is asked again though nobody has woken the threads; None to wait for that.
    interrupt : to nothing
        Has tasks that are being done raise `CancelledError` soon; called when the threads are to end.
    n_threads : int
    is_background : bool
        Whether they run only in what time others leave.
    """

    def __init__(
        self,
        name: str,
        take: Callable[[], Task | None],
        work: Callable[[Task], None],
        *,
        patience: Callable[[], float | None] = lambda: None,
        interrupt: Callable[[], None] = lambda: None,
        n_threads: int = 1,
        is_background: bool = False,
    ) -> None:
        self.lock = threading.Condition()
        self.is_closing = False
        self._take, self._work, self._patience, self._interrupt = take, work, patience, interrupt
        self._is_background = is_background
        self._threads = [
            threading.Thread(target=self._run, name=f"{name}-{number}", daemon=True)
            for number in range(n_threads)
        ]

    def start(self) -> None:
        """Start the threads."""
        for thread in self._threads:
            thread.start()

    def close(self) -> bool:
        """Take on no further task; return whether all threads have ended in time."""
        with self.lock:
            self.is_closing = True
            self.lock.notify_all()
        self._interrupt()
        have_ended = [wait_for(thread) for thread in self._threads]  # each is waited for
        return all(have_ended)

    def _run(self) -> None:
        if self._is_background:
            yield_to_window()
        while True:
            with self.lock:
                task = None
                while not self.is_closing and (task := self._take()) is None:
                    self.lock.wait(self._patience())
                if self.is_closing or task is None:
                    return
            with suppress(CancelledError):
                self._work(task)
