"""Faces as HarfBuzz has them: which letters they have, and how large they are."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import uharfbuzz as hb
from msgspec import Struct

from epiphane.disk import is_file
from epiphane.document.titles import FaceAxis, TextFill
from epiphane.errors import MediaError
from epiphane.media.faces import fallback_faces, kept_face, read_face, shipped_faces
from epiphane.wording import tr


class Axis(Struct, frozen=True):
    """An axis of a variable face: its four letters, its name, and which values it may have."""

    tag: str
    name: str
    low: float
    default: float
    high: float


class Face:
    """One face of letters, a variable one at some values of its axes.

    Attributes
    ----------
    upem : int
        In how many units the size of its letters is divided.
    characters : frozenset of int
        The code points that it has a letter for.
    has_colours : bool
        Whether its letters have colours of their own.
    axes : tuple of Axis
        Those of a variable face, none of any other.
    """

    def __init__(self, path: Path, content: bytes, values: Mapping[str, float]) -> None:
        face = hb.Face(content)
        self.path = path
        self.upem = int(face.upem) or 1000
        self.characters = frozenset(face.unicodes)
        self.has_colours = bool(face.has_color_paint)
        self.axes = tuple(
            Axis(
                one.tag,
                face.get_name(one.name_id) or one.tag,
                one.min_value,
                one.default_value,
                one.max_value,
            )
            for one in face.axis_infos
        )
        self._face, self._values, self._local = face, dict(values), threading.local()

    @property
    def font(self) -> hb.Font:
        """What shapes and draws; each thread has its own."""
        made: hb.Font | None = getattr(self._local, "font", None)
        if made is None:
            made = self._local.font = hb.Font(self._face)
            if self._values:
                made.set_variations(self._values)
        return made


def _limits(axis: hb.OTVarAxisInfo) -> tuple[float, float, float]:
    return axis.min_value, axis.default_value, axis.max_value


@lru_cache(maxsize=64)
def face_at(path: Path, axes: tuple[FaceAxis, ...] = ()) -> Face:
    """Return the face of a file, at some values of its axes.

    Raises
    ------
    MediaError
        If it is missing, or no face with letters.
    """
    content = read_face(path)
    try:
        face = Face(path, content, {one.tag: one.value for one in axes})
    except (hb.HarfBuzzError, ValueError, RuntimeError):
        raise MediaError(tr("{name} is damaged: choose another face of letters", name=path.name)) from None
    if not face.characters:
        raise MediaError(tr("{name} has no letters: choose another face", name=path.name))
    return face


def faces_for(fill: TextFill) -> tuple[Face, ...]:
    """Return the faces of a text: its own first, if it can be had, then those that show what it lacks."""
    wanted = _path_of(fill)
    own: tuple[Face, ...] = ()
    with suppress(MediaError):  # it is told where the text is shown; others show its letters
        own = (face_at(wanted, fill.axes),)
    return (*own, *(face_at(path) for path in fallback_faces() if path != wanted))


def face_fault(fill: TextFill) -> str:
    """Return why the face of a text cannot be had, so that others show its letters; or nothing."""
    try:
        face_at(_path_of(fill))
    except MediaError as error:
        return str(error)
    return ""


def axes_of(fill: TextFill) -> tuple[Axis, ...]:
    """Return the axes of the face of a text; none where it is not variable, or cannot be had."""
    try:
        return face_at(_path_of(fill)).axes
    except MediaError:
        return ()


def usual_axes(fill: TextFill) -> tuple[FaceAxis, ...]:
    """Return the values that the axes of the face of a text have unless they are chosen: it is bold."""
    weight = next((axis for axis in axes_of(fill) if axis.tag == "wght"), None)
    return () if weight is None else (FaceAxis("wght", min(max(_BOLD, weight.low), weight.high)),)


_BOLD = 700.0


def _path_of(fill: TextFill) -> Path:
    """Return the file of the face of a text: the copy that was kept, where its own one is gone."""
    shipped = shipped_faces()
    if fill.file is None:
        return shipped.get(fill.face, next(iter(shipped.values())))
    path = Path(fill.file)
    return path if is_file(path) else kept_face(fill.fingerprint) or path
