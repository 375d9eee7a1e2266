"""What happened, written to a log in the user's state folder, and packed when a problem is reported.

Nothing private is in it: neither names nor places of files, nor what is in them. What libraries write to
the terminal comes here too.
"""

import faulthandler
import logging
import os
import platform
import re
import sys
import threading
import zipfile
from collections.abc import Mapping
from io import StringIO
from logging.handlers import RotatingFileHandler
from pathlib import Path

import platformdirs

from epiphane import __version__
from epiphane.disk import PartFile, private_folder
from epiphane.errors import DiskError, EpiphaneError
from epiphane.wording import tr

logger = logging.getLogger("epiphane")

_LOG, _CRASHES = "epiphane.log", "crashes.log"
_MOST_BYTES, _N_OLD = 512 << 10, 3
# The same line of a library over and over says no more than a few of it.
_MOST_LIBRARY_LINES = 500
_LIBRARIES = ("av", "numpy", "scipy", "opencv-python-headless", "pillow", "soxr", "msgspec")
_QUOTED = re.compile(r"'[^'\n]*'|\"[^\"\n]*\"|“[^”\n]*”")
_PLACES = re.compile(r"(?:file:)?(?:~|(?<![\w.])/)[\w.+@%-]*/[^\s:,;)]*")
_MEDIA = "mp4|mov|mkv|webm|avi|ts|mxf|png|jpe?g|webp|gif|svg|tiff?|wav|flac|mp3|m4a|ogg|opus|epiphane"
_FILES = re.compile(rf"[^\s/]+\.(?:{_MEDIA})\b", re.IGNORECASE)


def log_folder() -> Path:
    """Return where logs are kept: private, in the user's state folder."""
    return Path(platformdirs.user_state_dir("epiphane")) / "log"


def start_log(folder: Path | None = None, *, takes_libraries: bool = True) -> None:
    """Begin to write the log; without a place to write to there is none.

    Parameters
    ----------
    folder : Path or None
        `log_folder` unless given.
    takes_libraries : bool
        Whether what libraries write to the terminal goes to the log; what Python writes still goes there.
    """
    folder = folder or log_folder()
    try:
        private_folder(folder)
        handler = RotatingFileHandler(
            folder / _LOG, maxBytes=_MOST_BYTES, backupCount=_N_OLD, encoding="utf-8"
        )
        crashes = (folder / _CRASHES).open("a", encoding="utf-8")
    except (OSError, DiskError):
        return
    handler.setFormatter(_Discreet("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    root = logging.getLogger()
    root.setLevel(logging.INFO)
    root.addHandler(handler)
    logging.captureWarnings(True)
    faulthandler.enable(crashes)
    if takes_libraries:
        _take_libraries()
    logger.info("epiphane %s begins, process %d", __version__, os.getpid())


def discreet(text: str) -> str:
    """Return a text without what is quoted in it, and without names and places of files."""
    text = _QUOTED.sub("‹…›", text)
    return _FILES.sub("‹file›", _PLACES.sub("‹place›", text))


def told(error: BaseException) -> str:
    """Return what a log may say of an error: what it is, and where in the code it came from."""
    frames, trace = [], error.__traceback__
    while trace is not None:
        code = trace.tb_frame.f_code
        frames.append(f"{Path(code.co_filename).name}:{trace.tb_lineno} {code.co_name}")
        trace = trace.tb_next
    # What Epiphane says to its user names files; what goes wrong in Python hardly ever does.
    words = "" if isinstance(error, EpiphaneError | OSError) else f": {discreet(str(error))}"
    return f"{type(error).__name__}{words} [{' < '.join(reversed(frames[-8:]))}]"


def write_report(path: Path, facts: Mapping[str, str], *, folder: Path | None = None) -> None:
    """Write what helps to find a problem, as a ZIP file: the logs, versions, and some facts.

    Raises
    ------
    DiskError
        If it cannot be written.
    """
    folder = folder or log_folder()
    lines = StringIO()
    for name, value in {**_versions(), **facts}.items():
        lines.write(f"{name}: {value}\n")
    try:
        with PartFile(path) as part:
            with zipfile.ZipFile(part.path, "w", zipfile.ZIP_DEFLATED) as packed:
                packed.writestr("versions.txt", lines.getvalue())
                for log in sorted(folder.glob("*.log*")):
                    content = log.read_text(encoding="utf-8", errors="replace")
                    packed.writestr(log.name, discreet(content))
            part.publish()
    except OSError as error:
        raise DiskError(
            tr("{folder} cannot be written to: {reason}", folder=path.parent, reason=error.strerror)
        ) from None


class _Discreet(logging.Formatter):
    """Writes records without anything private."""

    def format(self, record: logging.LogRecord) -> str:
        return discreet(super().format(record)).replace("\n", " | ")


def _versions() -> dict[str, str]:
    from importlib.metadata import PackageNotFoundError, version  # late: it takes a tenth of a start

    found = {"epiphane": __version__, "python": platform.python_version(), "system": platform.platform()}
    for name in _LIBRARIES:
        try:
            found[name] = version(name)
        except PackageNotFoundError:
            continue
    found["cores"] = str(os.cpu_count())
    found["desktop"] = os.environ.get("XDG_CURRENT_DESKTOP", "") or "none"
    found["session"] = os.environ.get("XDG_SESSION_TYPE", "") or "none"
    return found


def _take_libraries() -> None:
    """Lead what is written to file descriptor 2 to the log; Python's own messages go where they went."""
    try:
        kept = os.dup(2)
        reading, writing = os.pipe()
        sys.stderr = os.fdopen(kept, "w", buffering=1, encoding="utf-8", errors="backslashreplace")
        os.dup2(writing, 2)
        os.close(writing)
    except OSError:
        return
    threading.Thread(target=_read_libraries, args=(reading,), daemon=True, name="library messages").start()


def _read_libraries(reading: int) -> None:
    libraries = logging.getLogger("libraries")
    with os.fdopen(reading, encoding="utf-8", errors="replace") as lines:
        for number, line in enumerate(lines):
            if number < _MOST_LIBRARY_LINES and line.strip():
                libraries.warning("%s", line.strip())
