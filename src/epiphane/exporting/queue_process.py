"""The process that works through the queue of exports: begun here, it outlives who began it."""

import contextlib
import os
import subprocess
import sys

from epiphane.errors import DiskError
from epiphane.wording import tr

_NICENESS = 10
"""A tenth of the share that others get (setpriority(2)), where they want all of a core."""


def start_process() -> subprocess.Popen[str]:
    """Begin the process of the queue, and return it; where one is at work already, it ends at once.

    Raises
    ------
    DiskError
        If no process can be made.
    """
    process = start_detached("queue", "--run")
    with contextlib.suppress(OSError):  # it has just ended, or the system does not allow it
        os.setpriority(os.PRIO_PROCESS, process.pid, _NICENESS)
    return process


def start_detached(*words: str, is_heard: bool = False) -> subprocess.Popen[str]:
    """Begin a command of Epiphane as a process of its own, and return it; it outlives this one.

    What it prints can be read where it `is_heard`; its errors go to its log.

    Raises
    ------
    DiskError
        If no process can be made.
    """
    _begun[:] = [one for one in _begun if one.poll() is None]
    try:
        process = subprocess.Popen(
            [sys.executable, "-m", "epiphane", *words],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE if is_heard else subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            cwd="/",
            text=True,
        )
    except OSError as error:
        raise DiskError(tr("no further process can be begun: {reason}.", reason=error.strerror)) from None
    _begun.append(process)
    return process


_begun: list[subprocess.Popen[str]] = []
"""Kept, for one that nobody holds any more would be warned of, and stay in the system's list when it ends."""
