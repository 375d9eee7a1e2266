"""Files that a setting names: by where they lie, and by what is in them."""

import re

from msgspec import Struct

_MARK = "file"
_HEX = re.compile(r"[0-9a-f]{32}")


class NamedFile(Struct, frozen=True):
    """A file by its path and by its fingerprint, by which a copy of it is kept."""

    path: str
    fingerprint: str

    @property
    def text(self) -> str:
        """What a setting holds: ``file:FINGERPRINT:PATH``."""
        return f"{_MARK}:{self.fingerprint}:{self.path}"


def named_file(text: object) -> NamedFile | None:
    """Return the file that the value of a setting names, or None where it names none."""
    if not isinstance(text, str) or not text.startswith(f"{_MARK}:"):
        return None
    _, fingerprint, path = text.split(":", 2) if text.count(":") > 1 else ("", "", "")
    return NamedFile(path, fingerprint) if path and _HEX.fullmatch(fingerprint) else None
