"""Declaring a format of interchange: its ending, what is written into it, what is read back.

From the declaration alone the command line, the export page and the docs are derived.
"""

from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec import Struct

from epiphane.declare.registry import Registry
from epiphane.document.project import Project
from epiphane.errors import ParameterError
from epiphane.wording import tr


class Reading(Struct, frozen=True):
    """What was read: an edit that puts it into a project, and what is to be said, a sentence each."""

    apply: Callable[[Project], Project]
    remarks: tuple[str, ...] = ()


class Interchange(Struct, frozen=True):
    """A format of interchange.

    `write` gives the bytes of a file, and may raise EditError where the project has nothing for it; `read`
    raises MediaError where the file is no such one. `files` gives, with the same error, the files that are
    opened where one is read, without opening them. `holds` says in words what goes through it.
    """

    key: str
    label: str
    endings: tuple[str, ...]
    holds: str
    write: Callable[[Project], bytes] | None = None
    read: Callable[[Path], Reading] | None = None
    files: Callable[[Path], Sequence[Path]] = lambda _: ()


INTERCHANGES: Registry[Interchange] = Registry(
    "format of interchange", "epiphane.interchange", order=lambda one: one.label.casefold()
)
"""Every format of interchange there is."""


def declare_interchange(made: Interchange) -> Interchange:
    """Add a format of interchange to those there are."""
    INTERCHANGES.register(made)
    return made


def writer_for(path: Path, key: str = "") -> Interchange:
    """Return the format that is written to a file: that of a key, or the first that has its ending.

    Raises
    ------
    ParameterError
        If there is none; the message lists the endings there are.
    """
    return _found(path, key, [one for one in INTERCHANGES.all() if one.write is not None])


def reader_for(path: Path) -> Interchange:
    """Return the format that is read from a file, by its ending; errors as of `writer_for`."""
    return _found(path, "", [one for one in INTERCHANGES.all() if one.read is not None])


def _found(path: Path, key: str, able: list[Interchange]) -> Interchange:
    ending = path.suffix.lower()
    found = next((one for one in able if (one.key == key if key else ending in one.endings)), None)
    if found is None:
        known = ", ".join(dict.fromkeys(end for one in able for end in one.endings))
        raise ParameterError(
            tr(
                "{what!r} is no format of interchange; these endings are: {known}",
                what=key or ending,
                known=known,
            )
        )
    return found
