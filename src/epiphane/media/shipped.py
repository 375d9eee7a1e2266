"""The overlays that are shipped with the application."""

from functools import lru_cache
from pathlib import Path

from msgspec import Struct

from epiphane.assets import OVERLAYS
from epiphane.document.timeline import BlendMode
from epiphane.media.fingerprint import fingerprint

_TEXTURES = frozenset({"paper", "halftone", "grain drift"})
"""On mid grey, which an overlay leaves as it is; the others are light on black."""


class ShippedOverlay(Struct, frozen=True):
    """A clip to be laid over the picture, and the blend mode that it is made for."""

    name: str
    path: Path
    blend: BlendMode
    fingerprint: str

    @property
    def is_texture(self) -> bool:
        """Whether it goes on and on, and has no moment."""
        return self.name in _TEXTURES or self.name in ("dust", "scratches")


@lru_cache(maxsize=1)
def shipped_overlays() -> tuple[ShippedOverlay, ...]:
    """Return the overlays that are shipped, by name."""

    def made(path: Path) -> ShippedOverlay:
        blend = BlendMode.OVERLAY if path.stem in _TEXTURES else BlendMode.SCREEN
        return ShippedOverlay(path.stem, path, blend, fingerprint(path))

    return tuple(made(path) for path in sorted(OVERLAYS.glob("*.mp4")))
