"""The project file: one JSON text, written atomically, read within bounds and with its faults named.

See ``docs/file-format.md`` for the format and ``docs/project.schema.json`` for its JSON Schema.
"""

import hashlib
import os
import re
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
from epiphane.document.laws import broken_laws
from epiphane.document.project import FORMAT_VERSION, Project, with_items, with_lanes
from epiphane.document.song import PART_KINDS, Song
from epiphane.document.timeline import Item
from epiphane.document.titles import TextFill
from epiphane.errors import ProjectFileError
from epiphane.timing import frame_at
from epiphane.wording import tr

SUFFIX = ".epiphane"
_SHIPPED = "shipped:"
_FULL_ENERGY = 0.6  # of parts of formats before 9 that did not say what they are like
_MOST_FAULTS, _FAULT_LENGTH = 6, 160
_RATE = re.compile(r"\d{1,9}(/\d{1,9})?", re.ASCII)
_LOWEST_RATE, _HIGHEST_RATE = Fraction(1, 86_400), Fraction(1000)


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


def upgraded(raw: dict[str, Any]) -> dict[str, Any]:
    """Return what the JSON of a project of an earlier version is in this one."""
    for version in range(raw["version"], FORMAT_VERSION):
        raw = _UPGRADES[version](raw)
    return raw


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


def _upgrade_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 2 added what is heard beside beats: drums, sections, drops. They may be left out."""
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


def _upgrade_4(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 5 has items with contents on tracks, and lanes and tracks as the rows of one stack."""
    raw = dict(raw) | {"version": 5}
    rate = _rate_of(raw.get("rate"))
    if isinstance(raw.get("shots"), list):
        raw["shots"] = [_as_item(shot, rate) if isinstance(shot, dict) else shot for shot in raw["shots"]]
    if "lanes" in raw:
        lanes = raw.pop("lanes")
        rows = [
            {"type": "lane"} | with_trigger(lane) if isinstance(lane, dict) else lane for lane in lanes or ()
        ]
        raw["stack"] = rows if isinstance(lanes, list) else lanes
    if isinstance(raw.get("filling"), dict):
        raw["filling"] = _renamed(raw["filling"], {"beyond": "extend"})
        if raw["filling"].get("stills") == "rest":
            raw["filling"]["stills"] = "none"
    if isinstance(raw.get("pulses"), list):
        raw["pulses"] = [with_combination(pulse) for pulse in raw["pulses"]]
    if "song" in raw:
        raw["song"] = _with_confidence(raw["song"])
    return raw


def _upgrade_5(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 6 says more of the speed of items; all of it may be left out."""
    return raw | {"version": 6}


def _with_confidence(song: Any) -> Any:
    """Return a song of version 4 with the drums' confidence, also beyond its trims, under its name of now."""
    if not isinstance(song, dict):
        return song
    beyond = {side: _with_renamed_drums(song[side]) for side in ("before", "after") if side in song}
    return _with_renamed_drums(song) | beyond


def _with_renamed_drums(part: Any) -> Any:
    drums = part.get("drums") if isinstance(part, dict) else None
    return part | {"drums": _renamed(drums, {"sureness": "confidence"})} if isinstance(drums, dict) else part


def _as_item(shot: dict[str, Any], rate: Fraction | None) -> dict[str, Any]:
    names = {"footage": "footage", "source_start": "source_start", "speed": "speed", "beyond": "extend"}
    names["bounds"] = "bounds"
    item = {name: value for name, value in shot.items() if name not in names}
    item["content"] = {"type": "footage"} | {new: shot[old] for old, new in names.items() if old in shot}
    if isinstance(item.get("framing"), dict):
        transform = _renamed(item.pop("framing"), {"travel": "move", "reach": "amount"})
        item["transform"] = transform | ({"move": "none"} if transform.get("move") == "rest" else {})
    if not _is_pin_inside(item, rate):
        item["pin"] = None
    return item


def _is_pin_inside(item: dict[str, Any], rate: Fraction | None) -> bool:
    """Whether the pin of an item falls within it, as is asked for now; true where it cannot be told."""
    try:
        frame = frame_at(float(item["pin"]["hit"]), rate or Fraction(30))
        return bool(item["start"] <= frame < item["start"] + item["n_frames"])
    except (KeyError, TypeError, ValueError, OverflowError):
        return True


def _rate_of(text: object) -> Fraction | None:
    try:
        return _decode_rate(text)
    except ValueError:
        return None


def _renamed(part: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    return {names.get(name, name): value for name, value in part.items()}


def with_trigger(lane: Any) -> Any:
    """Return a lane of version 4 with what a cue does under its name of now."""
    return _renamed(lane, {"way": "trigger"}) if isinstance(lane, dict) else lane


def with_combination(pulse: Any) -> Any:
    """Return a pulse whose source, made of two others, is called combined."""
    source = pulse.get("source") if isinstance(pulse, dict) else None
    if not isinstance(source, dict) or source.get("type") != "blend":
        return pulse
    return pulse | {"source": source | {"type": "combined"}}


def _upgrade_6(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 7 has transitions, spans and aims of lanes, and more on tracks; all of it may be left out."""
    return raw | {"version": 7}


def _upgrade_7(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 8 tells what the user set of the song's form, and has other names for two looks."""
    raw = dict(raw) | {"version": 8}
    if isinstance(raw.get("shots"), list):
        raw["shots"] = [with_trembling(item) for item in raw["shots"]]
    if isinstance(raw.get("stack"), list):
        raw["stack"] = [with_edge_pulls(_with_trembling_items(row)) for row in raw["stack"]]
    return raw


def _with_trembling_items(row: Any) -> Any:
    items = row.get("items") if isinstance(row, dict) else None
    return row | {"items": [with_trembling(item) for item in items]} if isinstance(items, list) else row


def with_trembling(holder: Any) -> Any:
    """Return an item, or a lane, of version 7 with the name of now for what a standing title does."""
    for name in ("content", "words"):
        content = holder.get(name) if isinstance(holder, dict) else None
        stand = content.get("stand") if isinstance(content, dict) else None
        if isinstance(content, dict) and isinstance(stand, dict):
            holder = holder | {name: content | {"stand": _renamed(stand, {"wiggle": "tremble"})}}
    return holder


def with_edge_pulls(lane: Any) -> Any:
    """Return a lane of version 7 with the name of now for a transition, and hard seams where it had them."""
    if not isinstance(lane, dict):
        return lane
    lane = with_trembling(_with_edge_pull(lane))
    for name in ("alternatives", "overrides"):
        if isinstance(lane.get(name), list):
            lane = lane | {name: [_with_edge_pull(one) for one in lane[name]]}
    return lane


def _with_edge_pull(instance: Any) -> Any:
    """Return an effect with settings whose motion blur and seam are as they were without a word of them."""
    if not isinstance(instance, dict) or instance.get("effect") not in ("smear", "push"):
        return instance
    settings = instance.get("settings", [])
    said = (
        {one.get("name") for one in settings if isinstance(one, dict)} if isinstance(settings, list) else ()
    )
    unsaid = [{"name": name, "peak": 0.0, "rest": 0.0} for name in ("shutter", "seam") if name not in said]
    key = "edge-pull" if instance["effect"] == "smear" else "push"
    changed = instance | {"effect": key}
    return changed | {"settings": [*settings, *unsaid]} if isinstance(settings, list) else changed


def _upgrade_8(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 9 says what a part of the song is like in a field of its own, not in its label."""
    raw = dict(raw) | {"version": 9}
    song = raw.get("song")
    if not isinstance(song, dict):
        return raw
    renamed: dict[str, dict[str, None]] = {}
    song = with_kinds_of_parts(song, renamed)
    for name in ("before", "after"):
        if isinstance(song.get(name), dict):
            song = song | {name: with_kinds_of_parts(song[name], renamed)}
    raw["song"] = song
    if isinstance(raw.get("stack"), list):
        raw["stack"] = [_picked_anew(row, renamed) for row in raw["stack"]]
    return raw


def with_kinds_of_parts(heard: dict[str, Any], renamed: dict[str, dict[str, None]]) -> dict[str, Any]:
    """Return a song, or what is cut off it, of version 8 with parts of version 9; labels are noted."""
    sections = heard.get("sections")
    if not isinstance(sections, list):
        return heard
    made = []
    for section in sections:
        match section:
            case [start, end, str(label), float() | int() as energy, *rest]:
                name, _, word = label.rpartition(" ")
                if word not in (*PART_KINDS, "middle") or not name:
                    name, word = label, "middle"
                kind = word if word in PART_KINDS else "full" if energy > _FULL_ENERGY else "calm"
                renamed.setdefault(label, {})[f"{name} {kind}"] = None
                made.append([start, end, name, kind, energy, *rest])
            case _:
                made.append(section)
    return heard | {"sections": made}


def _picked_anew(row: Any, renamed: dict[str, dict[str, None]]) -> Any:
    pick = row.get("pick") if isinstance(row, dict) else None
    if not isinstance(pick, dict) or not isinstance(pick.get("sections"), list):
        return row
    labels = [new for one in pick["sections"] for new in renamed.get(str(one), (one,))]
    return row | {"pick": pick | {"sections": labels}}


_UPGRADES = dict(
    enumerate(
        (
            _upgrade_1,
            _upgrade_2,
            _upgrade_3,
            _upgrade_4,
            _upgrade_5,
            _upgrade_6,
            _upgrade_7,
            _upgrade_8,
        ),
        start=1,
    )
)


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
    """Return every file that a project reads: its song, its footage, faces of letters."""
    named = [project.song.path] if project.song else []
    contents = [
        item.content for items in (project.shots, *(row.items for row in project.tracks)) for item in items
    ]
    texts = [*contents, *(lane.words for lane in project.lanes)]
    faces = [one.file for one in texts if isinstance(one, TextFill) and one.file is not None]
    return [Path(path) for path in dict.fromkeys([*named, *(one.path for one in project.footage), *faces])]


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
    lanes = (lane if lane.words is None else replace(lane, words=faced(lane.words)) for lane in changed.lanes)
    return with_lanes(changed, lanes)


def _encode_other(value: object) -> str:
    """Return what a value that msgspec does not know is in a file; it asks for this error of all others."""
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(f"no JSON form for {type(value)}")


def _decode_other(kind: type, value: object) -> object:
    assert kind is Fraction
    return _decode_rate(value)


def _decode_rate(value: object) -> Fraction:
    if not isinstance(value, str) or not _RATE.fullmatch(value):
        raise ValueError(f"Expected a text such as 30000/1001, got {value!r:.40}")
    whole, _, part = value.partition("/")
    if int(part or 1) == 0 or not _LOWEST_RATE <= Fraction(int(whole), int(part or 1)) <= _HIGHEST_RATE:
        raise ValueError(f"must be a rate of up to 1000 frames a second, got {value}")
    return Fraction(int(whole), int(part or 1))


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
