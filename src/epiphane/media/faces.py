"""Faces of letters: those that are shipped, and files of the user's."""

from functools import lru_cache
from pathlib import Path

from epiphane.assets import FACES
from epiphane.disk import read_file
from epiphane.errors import DiskError, MediaError

FACE_SUFFIXES = (".ttf", ".otf", ".ttc", ".otc")
_MOST_BYTES = 64 << 20
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
        raise MediaError(f"{path.name} is no face of letters: choose a TrueType or OpenType file")
    return read
