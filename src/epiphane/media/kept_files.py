"""Copies of the small files that a project names, kept by what is in them: the project may go elsewhere."""

from pathlib import Path

import platformdirs

from epiphane.disk import private_folder, write_atomically
from epiphane.media.fingerprint import fingerprint


def keep_copy(path: Path, content: bytes, folder: str, suffix: str) -> str:
    """Keep a copy of a file among the user's data, and return its fingerprint.

    Parameters
    ----------
    path : Path
    content : bytes, of that file
    folder, suffix : str
        Where copies of its kind are, and how they end.

    Raises
    ------
    MediaError
        If it cannot be read.
    DiskError
        If the copy cannot be written.
    """
    print_of_it = fingerprint(path)
    place = _place(print_of_it, folder, suffix)
    if not place.is_file():
        private_folder(place.parent)
        write_atomically(place, content)
    return print_of_it


def kept_copy(print_of_it: str | None, folder: str, suffix: str) -> Path | None:
    """Return the copy of a file that was kept by its fingerprint, or None."""
    place = None if print_of_it is None else _place(print_of_it, folder, suffix)
    return place if place is not None and place.is_file() else None


def _place(print_of_it: str, folder: str, suffix: str) -> Path:
    return Path(platformdirs.user_data_dir("epiphane")) / folder / f"{print_of_it}{suffix}"
