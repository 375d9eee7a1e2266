"""Asking for the file of a look."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from epiphane.errors import DiskError, MediaError
from epiphane.files.settings import folder_of, note_folder
from epiphane.media.look_files import LOOK_SUFFIXES, keep_look
from epiphane.wording import tr


def ask_file(title: str, suffixes: Sequence[str]) -> Path | None:
    """Return the file of a look or a colour decision that the user chooses, None where none was."""
    endings = " ".join(f"*{one}" for one in suffixes)
    usual = str(folder_of("look", Path.home()))
    name, _ = QFileDialog.getOpenFileName(None, title, usual, f"{title} ({endings})")
    if not name:
        return None
    note_folder("look", Path(name).parent)
    return Path(name)


def ask_look(refused: Callable[[str], object]) -> str:
    """Return the look that the user chooses, as a setting holds it; empty where none was, or it is no look.

    Parameters
    ----------
    refused : callable
        Told why, where it is no look.
    """
    path = ask_file(tr("Look from a file"), LOOK_SUFFIXES)
    if path is None:
        return ""
    try:
        return keep_look(path).text
    except (MediaError, DiskError) as error:
        refused(str(error))
        return ""
