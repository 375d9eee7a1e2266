"""The project file: one JSON text, written atomically, read within bounds and with its faults named.

See ``docs/file-format.md`` for the format and ``docs/project.schema.json`` for its JSON Schema.
"""

import hashlib
import os
from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import Annotated, Any, get_args, get_origin, get_type_hints

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from epiphane.assets import OVERLAYS
from epiphane.disk import (
    MOST_PROJECT_BYTES,
    is_file,
    read_file,
    remove_abandoned,
    short_name,
    write_atomically,
)
from epiphane.document.footage import Footage
from epiphane.document.lane import Lane, Setting, Settings
from epiphane.document.laws import broken_laws
from epiphane.document.named_file import named_file
from epiphane.document.project import FORMAT_VERSION, Project, with_items, with_lanes
from epiphane.document.song import Song
from epiphane.document.timeline import Item
from epiphane.document.titles import TextFill
from epiphane.errors import ProjectFileError
from epiphane.files.rates import decode_rate
from epiphane.files.upgrades import upgraded
from epiphane.wording import tr

SUFFIX = ".epiphane"
_SHIPPED = "shipped:"
_MOST_FAULTS, _FAULT_LENGTH = 6, 160


class ReadProject(Struct, frozen=True):
    """A project as it was read, and a hash of the file's content, by which a change of it is told."""

    project: Project
    digest: str


def encode_project(project: Project) -> bytes:
    """Return the project as indented UTF-8 JSON."""
    return msgspec.json.format(encode_compactly(project), indent=1) + b"\n"


def encode_compactly(thing: object) -> bytes:
    """Return any part of a project as JSON on one line."""
    return msgspec.json.encode(thing, enc_hook=_encode_other)


def digest_of(content: bytes) -> str:
    """Return a hash of the content of a project file."""
    return hashlib.blake2b(content, digest_size=16).hexdigest()


def decode_project(text: bytes, *, where: str) -> Project:
    """Read a project from JSON.

    Raises
    ------
    ProjectFileError
        If the text is not whole JSON, is of a newer version, or breaks the format: then the first
        faults are listed with their places, as in ``$.lanes[0].depth: Expected `float` <= 1.0``.
    """
    raw = decode_json(text)
    if raw is None:
        raise ProjectFileError(
            tr(
                "{where} is damaged or cut short and cannot be opened; open a copy or a backup of it.",
                where=where,
            )
        )
    if not isinstance(raw, dict) or type(raw.get("version")) is not int:
        raise ProjectFileError(tr("{where} is not an Epiphane project.", where=where))
    if raw["version"] > FORMAT_VERSION:
        raise ProjectFileError(
            tr(
                "{where} was saved by a newer Epiphane (format {raw}, this one reads up to"
                " {newest}); open it with a newer version.",
                where=where,
                raw=raw["version"],
                newest=FORMAT_VERSION,
            )
        )
    if raw["version"] < 1:
        raise ProjectFileError(
            tr("{where}: $.version: must be 1 or more, got {raw}", where=where, raw=raw["version"])
        )
    raw = upgraded(raw)
    try:
        project: Project = convert_part(raw, Project)
    except ValueError as error:
        faults = list(islice(_faults(raw), _MOST_FAULTS + 1)) or [str(error)]
        raise ProjectFileError(
            tr("{where} breaks the format: {listed}", where=where, listed=_listed(faults))
        ) from None
    if faults := list(islice(broken_laws(project), _MOST_FAULTS + 1)):
        raise ProjectFileError(tr("{where} breaks the format: {listed}", where=where, listed=_listed(faults)))
    return project


def decode_json(text: bytes) -> Any:
    """Return what a JSON text holds, or None where it is damaged, not in UTF-8, or nested without end."""
    try:
        return msgspec.json.decode(text)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None


def convert_part(raw: object, kind: Any) -> Any:
    """Return a part of a project from what its JSON holds.

    Raises
    ------
    ValueError
        If it breaks the format, with the place in its message.
    """
    try:
        return msgspec.convert(raw, kind, dec_hook=_decode_other)
    except RecursionError:
        raise ValueError("nested too deeply") from None


def element_type(hint: Any) -> Any:
    """Return the type of the elements of ``tuple[T, ...]``, ``Annotated`` or not; None of other types."""
    while get_origin(hint) is Annotated:
        hint = get_args(hint)[0]
    return get_args(hint)[0] if get_origin(hint) is tuple else None


def _listed(faults: list[str]) -> str:
    """Return the first faults as one text that a message has room for."""
    clipped = [one if len(one) <= _FAULT_LENGTH else f"{one[:_FAULT_LENGTH]}…" for one in faults]
    more = "; and more of them" if len(faults) > _MOST_FAULTS else ""
    return "; ".join(clipped[:_MOST_FAULTS]) + more


def save_project(project: Project, path: Path) -> str:
    """Write the project to `path`, whole or not at all; footage paths become relative to it.

    Returns
    -------
    The hash of what was written, as `read_project` tells it.

    Raises
    ------
    DiskError
        If the file cannot be written; what was there before is untouched.
    """
    content = encode_project(with_relative_paths(project, path.absolute().parent))
    target = Path(os.path.realpath(path))
    remove_abandoned(target.parent, target.name)
    write_atomically(path, content)
    return digest_of(content)


def load_project(path: Path) -> Project:
    """Read the project at `path`; footage paths become absolute.

    Raises
    ------
    DiskError
        If the file is missing, no regular file, too large or unreadable.
    ProjectFileError
        If it is damaged, too new or breaks the format.
    """
    return read_project(path).project


def read_project(path: Path) -> ReadProject:
    """Read the project at `path` as `load_project` does, and the hash of the file's content."""
    content = read_file(path, most_bytes=MOST_PROJECT_BYTES)
    project = decode_project(content, where=short_name(path))
    return ReadProject(with_absolute_paths(project, path.absolute().parent), digest_of(content))


def digest_on_disk(path: Path) -> str | None:
    """Return the hash of a project file as it is now, or None if there is none that can be read."""
    if not is_file(path):
        return None
    return digest_of(read_file(path, most_bytes=MOST_PROJECT_BYTES))


def named_files(project: Project) -> list[Path]:
    """Return every file that a project reads: its song, its footage, faces of letters, looks."""
    named = [project.song.path] if project.song else []
    contents = [
        item.content for items in (project.shots, *(row.items for row in project.tracks)) for item in items
    ]
    texts = [*contents, *(lane.words for lane in project.lanes)]
    faces = [one.file for one in texts if isinstance(one, TextFill) and one.file is not None]
    settings = (setting for lane in project.lanes for setting in lane.settings)
    looks = [file.path for setting in settings if (file := named_file(setting.peak)) is not None]
    footage = (one.path for one in project.footage)
    return [Path(path) for path in dict.fromkeys([*named, *footage, *faces, *looks])]


def missing_files(project: Project) -> list[str]:
    """Return the paths that the project names and that are not there any more."""
    return [str(path) for path in named_files(project) if not is_file(path)]


def with_relative_paths(project: Project, folder: Path) -> Project:
    """Return `project` with the paths of its files as seen from a folder; of shipped ones their names."""
    return _with_paths(project, lambda path: _shipped_name(path) or os.path.relpath(path, folder))


def with_absolute_paths(project: Project, folder: Path) -> Project:
    """Return `project` with the paths of its files taken from a folder."""
    return _with_paths(project, lambda path: _shipped_path(path) or os.path.normpath(folder / path))


def _shipped_name(path: str) -> str | None:
    """Return how a file names an overlay that is shipped, wherever that lies here; None for other paths."""
    return f"{_SHIPPED}{Path(path).name}" if Path(path).parent == OVERLAYS else None


def _shipped_path(path: str) -> str | None:
    """Return where a shipped overlay lies here, by how a file names it; None for other paths."""
    return str(OVERLAYS / Path(path.removeprefix(_SHIPPED)).name) if path.startswith(_SHIPPED) else None


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of a project file."""
    return msgspec.json.schema(Project, schema_hook=_schema_of_other)


def _with_paths(project: Project, change: Callable[[str], str]) -> Project:
    song: Song | None = project.song and replace(project.song, path=change(project.song.path))
    footage: tuple[Footage, ...] = tuple(replace(one, path=change(one.path)) for one in project.footage)

    def faced(fill: TextFill) -> TextFill:
        return fill if fill.file is None else replace(fill, file=change(fill.file))

    def with_face(item: Item) -> Item:
        fill = item.content
        return replace(item, content=faced(fill)) if isinstance(fill, TextFill) else item

    changed = replace(project, song=song, footage=footage)
    changed = with_items(changed, lambda items: tuple(with_face(item) for item in items))

    def settled(settings: Settings) -> Settings:
        return tuple(_with_path(setting, change) for setting in settings)

    def changed_lane(lane: Lane) -> Lane:
        others = tuple(replace(one, settings=settled(one.settings)) for one in lane.alternatives)
        words = None if lane.words is None else faced(lane.words)
        return replace(lane, words=words, settings=settled(lane.settings), alternatives=others)

    return with_lanes(changed, map(changed_lane, changed.lanes))


def _with_path(setting: Setting, change: Callable[[str], str]) -> Setting:
    def moved(value: float | str) -> float | str:
        file = named_file(value)
        return value if file is None else replace(file, path=change(file.path)).text

    return replace(setting, peak=moved(setting.peak), then=tuple(map(moved, setting.then)))


def _encode_other(value: object) -> str:
    """Return what a value that msgspec does not know is in a file; it asks for this error of all others."""
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(f"no JSON form for {type(value)}")


def _decode_other(kind: type, value: object) -> object:
    assert kind is Fraction
    return decode_rate(value)


def _schema_of_other(kind: type) -> dict[str, Any]:
    """Return the schema of a type that msgspec does not know; it asks for this error of all others."""
    if kind is Fraction:
        return {"type": "string", "pattern": r"^\d+(/\d+)?$"}
    raise NotImplementedError(kind)


def _faults(raw: dict[str, Any]) -> Iterator[str]:
    """Yield the faults of each field and, in lists, of each element (msgspec stops at the first)."""
    hints = get_type_hints(Project, include_extras=True)
    for name in sorted(raw.keys() - hints.keys()):
        yield f"$.{name}: unknown field"
    for name, value in raw.items():
        if name not in hints:
            continue
        kind = element_type(hints[name])
        if isinstance(value, list) and kind is not None:
            for index, element in enumerate(value):
                yield from _fault(element, kind, f"$.{name}[{index}]")
        else:
            yield from _fault(value, hints[name], f"$.{name}")


def _fault(value: object, kind: Any, place: str) -> Iterator[str]:
    try:
        convert_part(value, kind)
    except ValueError as error:
        message, _, inner = str(error).partition(" - at `$")
        yield f"{place}{inner.rstrip('`')}: {message}"
