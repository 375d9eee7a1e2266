"""Faces as HarfBuzz has them: which letters they have, and how large they are."""

import threading
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import uharfbuzz as hb

from epiphane.errors import MediaError
from epiphane.media.faces import fallback_faces, read_face, shipped_faces


class Face:
    """One face of letters.

    Attributes
    ----------
    upem : int
        In how many units the size of its letters is divided.
    characters : frozenset of int
        The code points that it has a letter for.
    has_colours : bool
        Whether its letters have colours of their own.
    """

    def __init__(self, path: Path, content: bytes) -> None:
        face = hb.Face(content)
        self.path = path
        self.upem = int(face.upem) or 1000
        self.characters = frozenset(face.unicodes)
        self.has_colours = bool(face.has_color_paint)
        self._face, self._local = face, threading.local()

    @property
    def font(self) -> hb.Font:
        """What shapes and draws; each thread has its own."""
        made: hb.Font | None = getattr(self._local, "font", None)
        if made is None:
            made = self._local.font = hb.Font(self._face)
        return made


@lru_cache(maxsize=64)
def face_at(path: Path) -> Face:
    """Return the face of a file.

    Raises
    ------
    MediaError
        If it is missing, or no face with letters.
    """
    content = read_face(path)
    try:
        face = Face(path, content)
    except (hb.HarfBuzzError, ValueError, RuntimeError):
        raise MediaError(f"{path.name} is damaged: choose another face of letters") from None
    if not face.characters:
        raise MediaError(f"{path.name} has no letters: choose another face")
    return face


def faces_for(name: str, file: str | None) -> tuple[Face, ...]:
    """Return the faces of a text: its own first, if it can be had, then those that show what it lacks."""
    shipped = shipped_faces()
    wanted = Path(file) if file is not None else shipped.get(name, next(iter(shipped.values())))
    own: tuple[Face, ...] = ()
    with suppress(MediaError):  # it is told where the text is shown; others show its letters
        own = (face_at(wanted),)
    return (*own, *(face_at(path) for path in fallback_faces() if path != wanted))
