"""An export as it was asked for, in a form in which another process, or another machine, can make it."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.edits.frame_shapes import in_shape
from epiphane.edits.picture import even_size
from epiphane.errors import DiskError
from epiphane.files.project import (
    decode_project,
    encode_compactly,
    encode_project,
    with_absolute_paths,
    with_relative_paths,
)
from epiphane.files.rates import decode_rate
from epiphane.formats.settings import ExportSettings
from epiphane.wording import tr

_ROOT = Path("/")


class ExportOrder(Struct, frozen=True):
    """What `export` is to be called with: `frames` as first and end, at the rate of the settings.

    No file in one of the folders in `withheld`, or below it, is read for it.
    """

    project: Project
    path: Path
    settings: ExportSettings
    frames: tuple[int, int] | None = None
    reads: tuple[Path, ...] = ()
    may_replace: bool = False
    farm: str = ""
    withheld: tuple[Path, ...] = ()

    @property
    def range(self) -> range | None:
        """The frames to write, or None for all."""
        return None if self.frames is None else range(*self.frames)


class _Written(Struct, frozen=True, forbid_unknown_fields=True):
    project: msgspec.Raw
    path: str
    settings: ExportSettings
    frames: tuple[int, int] | None
    reads: tuple[str, ...]
    may_replace: bool
    farm: str
    withheld: tuple[str, ...]


def for_each_shape(order: ExportOrder, *, factor: float = 1.0) -> list[ExportOrder]:
    """Return an order for each shape of the edit, its sides times a factor and in its film's name."""
    orders = []
    for shape in order.project.shapes:
        width, height = even_size(round(shape.width * factor), round(shape.height * factor))
        path = order.path.with_name(f"{order.path.stem} {width}x{height}{order.path.suffix}")
        settings = replace(order.settings, size=(width, height))
        orders.append(replace(order, project=in_shape(order.project, shape), path=path, settings=settings))
    return orders


def encode_order(order: ExportOrder) -> bytes:
    """Return an order as JSON, with all paths absolute and shipped files by their names."""
    project = encode_project(with_relative_paths(order.project, _ROOT))
    reads, withheld = (
        tuple(str(path.absolute()) for path in paths) for paths in (order.reads, order.withheld)
    )
    written = _Written(
        msgspec.Raw(project),
        str(order.path.absolute()),
        order.settings,
        order.frames,
        reads,
        order.may_replace,
        order.farm,
        withheld,
    )
    return encode_compactly(written)


def decode_order(content: bytes) -> ExportOrder:
    """Return the order of a JSON text.

    Raises
    ------
    DiskError
        If it is none, or one of another version.
    ProjectFileError
        If its project is damaged or of a later version.
    """
    try:
        found = msgspec.json.decode(content, type=_Written, dec_hook=lambda _kind, value: decode_rate(value))
    except (ValueError, RecursionError):  # msgspec's are ValueErrors
        raise DiskError(
            tr("the export is of another version of Epiphane, or damaged: ask for it again")
        ) from None
    project = decode_project(bytes(found.project), where=Path(found.path).name)
    return ExportOrder(
        with_absolute_paths(project, _ROOT),
        Path(found.path),
        found.settings,
        found.frames,
        tuple(map(Path, found.reads)),
        found.may_replace,
        found.farm,
        tuple(map(Path, found.withheld)),
    )
