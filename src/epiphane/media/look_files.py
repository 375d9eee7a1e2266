"""Looks from files of open standards: tables of colours and colour decision lists."""

import re
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np

from epiphane.disk import is_file, read_file
from epiphane.document.named_file import NamedFile
from epiphane.errors import DiskError, MediaError
from epiphane.media.kept_files import keep_copy, kept_copy
from epiphane.types import FloatArray
from epiphane.wording import tr

LOOK_SUFFIXES = (".cube", ".3dl", ".clf", ".cdl", ".ccc", ".cc")
DECISION_SUFFIXES = (".cdl", ".ccc", ".cc")
"""Of the files of looks, those that hold a slope, an offset and a power: what controls of a grade do."""
_MOST_BYTES = 64 << 20
_FOLDER = "looks"
_PROBES = 9
_MOST_LEVEL = 1e4
_LONGEST_REASON = 160
_NO_NUMBER = re.compile(rb"^[-+0-9.eE \t]*[-+ \t]?(nan|inf)\b", re.IGNORECASE | re.MULTILINE)
"""A line of values one of which is none; the library takes it for 0."""


def keep_look(path: Path) -> NamedFile:
    """Return how a project names the look of a file; a copy of it is kept.

    Raises
    ------
    MediaError
        If it cannot be read, or is no look.
    DiskError
        If the copy cannot be written.
    """
    check_look(path)
    content = read_file(path, most_bytes=_MOST_BYTES)
    print_of_it = keep_copy(path, content, _FOLDER, path.suffix.lower())
    return NamedFile(str(path.absolute()), print_of_it)


def look_path(file: NamedFile) -> Path | None:
    """Return where a look is: its file, or the copy that was kept; None where both are gone."""
    own = Path(file.path)
    return own if is_file(own) else kept_copy(file.fingerprint, _FOLDER, own.suffix.lower())


def look_fault(file: NamedFile) -> str:
    """Return why a look cannot be shown, as a sentence, or nothing."""
    path = look_path(file)
    if path is None:
        return tr("{name} is gone: choose the look again", name=Path(file.path).name)
    return _fault_at(path, path.stat().st_mtime_ns)


@lru_cache(maxsize=64)
def _fault_at(path: Path, _: int) -> str:
    try:
        check_look(path)
    except MediaError as error:
        return str(error)
    return ""


def check_look(path: Path) -> None:
    """Check that a file is a look that can be computed.

    Raises
    ------
    MediaError
        If it cannot be read, is too large, is damaged, or holds values that are no colours.
    """
    import PyOpenColorIO  # late: it takes a quarter of a second

    name = path.name
    if path.suffix.lower() not in LOOK_SUFFIXES:
        endings = ", ".join(LOOK_SUFFIXES)
        raise MediaError(tr("{name} is no look: choose a file in {endings}", name=name, endings=endings))
    try:
        content = read_file(path, most_bytes=_MOST_BYTES)
    except DiskError as error:
        raise MediaError(str(error)) from None
    no_colours = MediaError(tr("{name} holds values that are no colours: choose another look", name=name))
    if _NO_NUMBER.search(content):
        raise no_colours
    levels = np.linspace(0, 1, _PROBES, dtype=np.float32)
    colours = np.stack(np.meshgrid(levels, levels, levels), axis=-1).reshape(-1, 3).copy()
    PyOpenColorIO.ClearAllCaches()  # it would not see that a file has changed
    try:
        look = PyOpenColorIO.FileTransform(str(path.absolute()))
        processor = PyOpenColorIO.Config.CreateRaw().getProcessor(look)
        processor.getDefaultCPUProcessor().applyRGB(colours)
    except PyOpenColorIO.Exception as error:
        reason = _reason(str(error))
        raise MediaError(
            tr("{name} is damaged or no look ({reason}): choose another", name=name, reason=reason)
        ) from None
    if not (np.isfinite(colours).all() and np.abs(colours).max() < _MOST_LEVEL):
        raise no_colours


class ColourDecisions(NamedTuple):
    """A colour decision of the ASC: ``(level * slope + offset) ^ power`` of each channel, then saturation.

    Attributes
    ----------
    slope, offset, power : float64, shape (3,), of blue, green and red
    saturation : float
    """

    slope: FloatArray
    offset: FloatArray
    power: FloatArray
    saturation: float


def read_decisions(path: Path) -> ColourDecisions:
    """Return the first decision of a file of the ASC: .cdl, .ccc or .cc.

    Raises
    ------
    MediaError
        If it is none, cannot be read, is damaged, or holds values that are no colours.
    """
    if path.suffix.lower() not in DECISION_SUFFIXES:
        endings = ", ".join(DECISION_SUFFIXES)
        told = tr("{name} is no colour decision: choose a file in {endings}", name=path.name, endings=endings)
        raise MediaError(told)
    check_look(path)
    import PyOpenColorIO

    found = PyOpenColorIO.CDLTransform.CreateFromFile(str(path.absolute()), "")
    slope, offset, power = (
        np.array(of_red_first[::-1], float)
        for of_red_first in (found.getSlope(), found.getOffset(), found.getPower())
    )
    return ColourDecisions(slope, offset, power, float(found.getSat()))


def _reason(told: str) -> str:
    """Return what the first reader that was tried says is wrong, in one line."""
    found = re.search(r"failed with: (.+?)(?=\s*'\w+' failed with|$)", " ".join(told.split()))
    return (
        (found.group(1) if found else told.split("\n", maxsplit=1)[0]).strip().rstrip(".")[:_LONGEST_REASON]
    )
