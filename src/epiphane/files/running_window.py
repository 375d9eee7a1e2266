"""How a project is given to the window that runs: one line on a socket that is this user's own."""

import contextlib
import os
import socket
import warnings
from pathlib import Path

import platformdirs

from epiphane.disk import private_folder
from epiphane.errors import DiskError

_SECONDS, _HEARD_SECONDS = 2.0, 0.2
_MOST_BYTES = 8192
_TAKEN = b"taken\n"


def give_to_running(project: Path) -> bool:
    """Have the window that runs open a project; False where none does, or it does not answer."""
    with contextlib.suppress(OSError, DiskError), socket.socket(socket.AF_UNIX) as line:
        line.settimeout(_SECONDS)
        line.connect(str(_place()))
        line.sendall(os.fsencode(project.absolute()) + b"\n")
        return line.recv(len(_TAKEN)) == _TAKEN
    return False


def listen_for_projects() -> socket.socket | None:
    """Return a socket on which projects are given, or None where another window listens, or none can."""
    with contextlib.suppress(OSError, DiskError):
        place = _place()
        if _answers(place):
            return None
        place.unlink(missing_ok=True)  # of a window that was killed
        listening = socket.socket(socket.AF_UNIX)
        try:
            listening.bind(str(place))
            listening.listen()
        except OSError:
            listening.close()
            raise
        return listening
    return None


def project_given(listening: socket.socket) -> Path | None:
    """Return the project that somebody gives now, or None where it is none."""
    with contextlib.suppress(OSError):
        line, _ = listening.accept()
        with line:
            line.settimeout(_HEARD_SECONDS)
            told = b""
            while not told.endswith(b"\n") and len(told) < _MOST_BYTES:
                more = line.recv(_MOST_BYTES)
                if not more:
                    return None
                told += more
            line.sendall(_TAKEN)
            return Path(os.fsdecode(told.rstrip(b"\n")))
    return None


def _place() -> Path:
    """Return where the socket lies: in this user's folder for what runs."""
    with warnings.catch_warnings(action="ignore"):  # of a machine without such a folder: then it is another
        folder = Path(platformdirs.user_runtime_dir("epiphane"))
    return private_folder(folder) / "window.socket"


def _answers(place: Path) -> bool:
    with socket.socket(socket.AF_UNIX) as line:
        line.settimeout(_SECONDS)
        try:
            line.connect(str(place))
        except OSError:
            return False
    return True
