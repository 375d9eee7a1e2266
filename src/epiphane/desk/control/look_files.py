"""Asking for the file of a look."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from epiphane.errors import DiskError, MediaError
from epiphane.files.settings import folder_of, note_folder
from epiphane.media.look_files import LOOK_SUFFIXES, keep_look
from epiphane.wording import tr


def ask_look(refused: Callable[[str], object]) -> str:
    """Return the look that the user chooses, as a setting holds it; empty where none was, or it is no look.

    Parameters
    ----------
    refused : callable
        Told why, where it is no look.
    """
    endings = " ".join(f"*{one}" for one in LOOK_SUFFIXES)
    usual = str(folder_of("look", Path.home()))
    name, _ = QFileDialog.getOpenFileName(
        None, tr("Look from a file"), usual, tr("Looks ({endings})", endings=endings)
    )
    if not name:
        return ""
    note_folder("look", Path(name).parent)
    try:
        return keep_look(Path(name)).text
    except (MediaError, DiskError) as error:
        refused(str(error))
        return ""
