"""Faces of letters: those that are shipped, and files of the user's."""

import os
from functools import lru_cache
from pathlib import Path

import platformdirs

from epiphane.assets import FACES
from epiphane.disk import read_file
from epiphane.errors import DiskError, MediaError
from epiphane.media.kept_files import keep_copy, kept_copy
from epiphane.wording import tr

FACE_SUFFIXES = (".ttf", ".otf", ".ttc", ".otc")
_MOST_BYTES = 64 << 20
_FOLDER, _SUFFIX = "faces", ".face"
_EMOJI = "Noto Color Emoji"
_BY_SCRIPT = ("Cairo", "Heebo", _EMOJI)
"""Shipped for what most faces lack: Arabic, Hebrew, emoji."""
_MAGIC = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"ttcf")


@lru_cache(maxsize=1)
def shipped_faces() -> dict[str, Path]:
    """Return the files of the shipped faces by their names, those for text first."""
    found = {path.stem: path for path in sorted(FACES.glob("*.ttf"))}
    return {name: found[name] for name in sorted(found, key=lambda name: (name in _BY_SCRIPT, name))}


def fallback_faces() -> tuple[Path, ...]:
    """Return the files of the faces that show what the chosen one lacks, in the order they are tried."""
    faces = shipped_faces()
    rest = [name for name in ("Anton", "Caveat Brush") if name in faces]
    return tuple(faces[name] for name in (*_BY_SCRIPT, *rest) if name in faces)


@lru_cache(maxsize=1)
def installed_faces() -> dict[str, Path]:
    """Return the files of faces in the folders where Linux keeps them, by the names of the files, sorted."""
    data = [platformdirs.user_data_dir(), *platformdirs.site_data_dir(multipath=True).split(os.pathsep)]
    folders = [Path(one) / "fonts" for one in data]
    found: dict[str, Path] = {}
    for folder in (Path.home() / ".fonts", *folders):
        for path in sorted(folder.rglob("*")) if folder.is_dir() else ():
            if path.suffix.lower() in FACE_SUFFIXES and len(found) < _MOST_INSTALLED:
                found.setdefault(path.stem, path)
    return dict(sorted(found.items()))


_MOST_INSTALLED = 400


def keep_face(path: Path) -> str:
    """Keep a copy of the file of a face, and return the fingerprint by which it is found again.

    Raises
    ------
    MediaError
        If it cannot be read.
    DiskError
        If the copy cannot be written.
    """
    return keep_copy(path, read_face(path), _FOLDER, _SUFFIX)


def kept_face(print_of_it: str | None) -> Path | None:
    """Return the copy of a face that was kept by its fingerprint, or None."""
    return kept_copy(print_of_it, _FOLDER, _SUFFIX)


def read_face(path: Path) -> bytes:
    """Return what is in the file of a face.

    Raises
    ------
    MediaError
        If it is missing, or no face.
    """
    try:
        read = read_file(path, most_bytes=_MOST_BYTES)
    except DiskError as error:
        raise MediaError(str(error)) from None
    if not read.startswith(_MAGIC):
        raise MediaError(
            tr("{name} is no face of letters: choose a TrueType or OpenType file", name=path.name)
        )
    return read
