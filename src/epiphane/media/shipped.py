"""The overlays that are shipped with the application."""

from functools import lru_cache
from pathlib import Path

import msgspec
from msgspec import Struct

from epiphane.assets import OVERLAYS
from epiphane.document.timeline import BlendMode
from epiphane.media.fingerprint import fingerprint

_INDEX = "overlays.json"


class ShippedOverlay(Struct, frozen=True):
    """A clip to be laid over the picture, the blend mode it is made for, and its moment in seconds."""

    name: str
    path: Path
    blend: BlendMode
    moment: float | None
    fingerprint: str

    @property
    def is_texture(self) -> bool:
        """Whether it goes on and on, and has no moment."""
        return self.moment is None


class _Listed(Struct):
    """What the index says of a clip."""

    file: str
    blend: BlendMode
    moment: float | None


@lru_cache(maxsize=1)
def shipped_overlays() -> tuple[ShippedOverlay, ...]:
    """Return the overlays that are shipped, as their index has them; other files are of earlier versions."""
    listed = msgspec.json.decode((OVERLAYS / _INDEX).read_bytes(), type=list[_Listed])
    return tuple(
        ShippedOverlay(path.stem, path, one.blend, one.moment, fingerprint(path))
        for one in listed
        if (path := OVERLAYS / one.file).exists()
    )
