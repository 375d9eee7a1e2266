"""The project file: one JSON text, written atomically, read with every fault named.

See ``docs/file-format.md`` for the format and ``docs/project.schema.json`` for its JSON Schema.
"""

import os
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any, get_args, get_type_hints

import msgspec
from msgspec.structs import replace

from epiphane.document.model import FORMAT_VERSION, Footage, Project, Song
from epiphane.errors import ProjectFileError

SUFFIX = ".epiphane"


def encode_project(project: Project) -> bytes:
    """Return the project as indented UTF-8 JSON."""
    return msgspec.json.format(msgspec.json.encode(project, enc_hook=_encode_other), indent=1) + b"\n"


def decode_project(text: bytes, *, where: str) -> Project:
    """Read a project from JSON.

    Raises
    ------
    ProjectFileError
        If the text is not whole JSON, is of a newer version, or breaks the format: then every
        fault is listed with its place, as in ``$.lanes[0].depth: Expected `float` <= 1.0``.
    """
    try:
        raw = msgspec.json.decode(text)
    except msgspec.DecodeError:
        raise ProjectFileError(
            f"{where} is damaged or cut short and cannot be opened; open a copy or a backup of it."
        ) from None
    if not isinstance(raw, dict) or not isinstance(raw.get("version"), int):
        raise ProjectFileError(f"{where} is not an Epiphane project.")
    if raw["version"] > FORMAT_VERSION:
        raise ProjectFileError(
            f"{where} was saved by a newer Epiphane (format {raw['version']}, this one reads up to"
            f" {FORMAT_VERSION}); open it with a newer version."
        )
    if raw["version"] < 1:
        raise ProjectFileError(f"{where}: $.version: must be 1 or more, got {raw['version']}")
    for version in range(raw["version"], FORMAT_VERSION):
        raw = _UPGRADES[version](raw)
    try:
        return msgspec.convert(raw, Project, dec_hook=_decode_other)
    except msgspec.ValidationError as error:
        faults = list(_faults(raw)) or [str(error)]
        raise ProjectFileError(f"{where} breaks the format: " + "; ".join(faults)) from None


def _upgrade_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 2 added what is heard beside beats: sureness, drums, sections, drops. They may be left out."""
    return raw | {"version": 2}


def _upgrade_2(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 3 lets pulses have other sources than what was heard."""
    pulses = raw.get("pulses")
    if isinstance(pulses, list):
        pulses = [_with_source(pulse) if isinstance(pulse, dict) else pulse for pulse in pulses]
        raw = raw | {"pulses": pulses}
    return raw | {"version": 3}


def _with_source(pulse: dict[str, Any]) -> dict[str, Any]:
    others = {name: value for name, value in pulse.items() if name != "unit"}
    return others | {"source": {"type": "heard", "unit": pulse.get("unit")}}


def _upgrade_3(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 4 says more of footage and shots; all of it may be left out."""
    return raw | {"version": 4}


_UPGRADES = {1: _upgrade_1, 2: _upgrade_2, 3: _upgrade_3}


def save_project(project: Project, path: Path) -> None:
    """Write the project to `path`, whole or not at all; footage paths become relative to it.

    Raises
    ------
    ProjectFileError
        If the file cannot be written; what was there before is untouched.
    """
    folder = path.absolute().parent
    write_atomically(path, encode_project(_with_paths(project, lambda p: _relative(p, folder))))


def load_project(path: Path) -> Project:
    """Read the project at `path`; footage paths become absolute.

    Raises
    ------
    ProjectFileError
        If the file is missing, unreadable, damaged, too new or breaks the format.
    """
    try:
        text = path.read_bytes()
    except OSError as error:
        raise ProjectFileError(f"{path.name} cannot be read: {error.strerror}.") from None
    folder = path.absolute().parent
    project = decode_project(text, where=path.name)
    return _with_paths(project, lambda p: os.path.normpath(folder / p))


def missing_files(project: Project) -> list[str]:
    """Return the paths that the project names and that are not there any more."""
    named = [project.song.path] if project.song else []
    named += [footage.path for footage in project.footage]
    return [path for path in named if not Path(path).is_file()]


def write_atomically(path: Path, content: bytes) -> None:
    """Write a file so that a reader sees the old content or the new one, never a part.

    Raises
    ------
    ProjectFileError
        If it cannot be written.
    """
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.absolute().parent)
    except OSError as error:
        raise ProjectFileError(f"{path} cannot be written: {error.strerror}.") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        # mkstemp makes the file private; a project is shared like any other document.
        Path(temporary).chmod(0o644)
        Path(temporary).replace(path)
    except OSError as error:
        Path(temporary).unlink(missing_ok=True)
        raise ProjectFileError(f"{path} cannot be written: {error.strerror}.") from None


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of a project file."""
    return msgspec.json.schema(Project, schema_hook=_schema_of_other)


class Journal:
    """A file beside the project to which every edit is appended, so that a crash loses nothing.

    One line of JSON an edit: the whole project after it. Saving empties the journal.
    """

    def __init__(self, path: Path) -> None:
        self.path = path

    def append(self, project: Project) -> None:
        """Add the state after an edit; a folder that cannot be written to is no reason to stop."""
        line = msgspec.json.encode(project, enc_hook=_encode_other) + b"\n"
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            with self.path.open("ab") as file:
                file.write(line)
        except OSError:
            return

    def clear(self) -> None:
        """Forget everything: the project has been saved, or the editor does not want it back."""
        self.path.unlink(missing_ok=True)

    def recover(self) -> tuple[Project, int] | None:
        """Return the last whole state and the number of edits behind it, or None."""
        try:
            lines = self.path.read_bytes().splitlines()
        except OSError:
            return None
        for n_edits in range(len(lines), 0, -1):
            try:
                return decode_project(lines[n_edits - 1], where=self.path.name), n_edits
            except ProjectFileError:  # the line that the crash cut short
                continue
        return None


def journal_of(path: Path) -> Journal:
    """Return the journal that belongs to a project file."""
    return Journal(path.with_name(f".{path.name}.journal"))


def _with_paths(project: Project, change: Any) -> Project:
    song: Song | None = project.song and replace(project.song, path=change(project.song.path))
    footage: tuple[Footage, ...] = tuple(replace(one, path=change(one.path)) for one in project.footage)
    return replace(project, song=song, footage=footage)


def _relative(path: str, folder: Path) -> str:
    try:
        return os.path.relpath(path, folder)
    except ValueError:
        return path


def _encode_other(value: object) -> str:
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(f"no JSON form for {type(value)}")


def _decode_other(kind: type, value: object) -> object:
    if kind is Fraction and isinstance(value, str):
        rate = Fraction(value)  # msgspec turns the ValueError into a fault with its place
        if not 0 < rate <= 1000:
            raise ValueError(f"must be a rate in 0..1000 frames a second, got {value}")
        return rate
    raise ValueError(f"Expected a text such as 30000/1001, got {value!r}")


def _schema_of_other(kind: type) -> dict[str, Any]:
    if kind is Fraction:
        return {"type": "string", "pattern": r"^\d+(/\d+)?$"}
    raise NotImplementedError(kind)


def _faults(raw: dict[str, Any]) -> Iterator[str]:
    """Yield the faults of each field and, in lists, of each element (msgspec stops at the first)."""
    hints = get_type_hints(Project, include_extras=True)
    for name in raw.keys() - hints.keys():
        yield f"$.{name}: unknown field"
    for name, value in raw.items():
        if name not in hints:
            continue
        arguments = get_args(hints[name])
        if isinstance(value, list) and len(arguments) == 2 and arguments[1] is Ellipsis:
            for index, element in enumerate(value):
                yield from _fault(element, arguments[0], f"$.{name}[{index}]")
        else:
            yield from _fault(value, hints[name], f"$.{name}")


def _fault(value: object, kind: Any, place: str) -> Iterator[str]:
    try:
        msgspec.convert(value, kind, dec_hook=_decode_other)
    except msgspec.ValidationError as error:
        message, _, inner = str(error).partition(" - at `$")
        yield f"{place}{inner.rstrip('`')}: {message}"
