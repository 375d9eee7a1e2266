"""Rasterising SVG files, in a process of its own.

What would pull in other files is taken out of a drawing, and it is drawn in a process of its own, within
bounds of time and memory: a few lines are enough to have one drawn for ever, to ask for more memory than
there is, or to run the library out of stack, which ends the process.
"""

import gzip
import io
import re
import subprocess
import sys
import zlib
from pathlib import Path
from xml.etree import ElementTree
from xml.parsers.expat import ExpatError

from msgspec import Struct

from epiphane.assets import FONTS
from epiphane.disk import read_file, short_name
from epiphane.errors import DiskError, MediaError
from epiphane.types import Size

_SHORT_SIDE, _LONG_SIDE = 2160, 4096
_MOST_BYTES = 32 << 20
_DEEPEST = 200
_SECONDS = 20
_MEMORY_BYTES = 3 << 30
_OWN = ("#", "data:")
_SVG = "{http://www.w3.org/2000/svg}svg"
_LENGTH = re.compile(r"\s*([0-9.]+(?:e[+-]?[0-9]+)?)\s*(px|pt|pc|mm|cm|in)?\s*", re.IGNORECASE)
# [px] a unit, as CSS has them
_UNITS = {"px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}

_INSTEAD = "Instrument Sans"
"""The shipped face that shows text whose own one is not there."""
# What the other process does; it loads nothing of ours, so that it starts at once.
_DRAW = f"""
import os, resource, sys
resource.setrlimit(resource.RLIMIT_AS, ({_MEMORY_BYTES}, {_MEMORY_BYTES}))
resource.setrlimit(resource.RLIMIT_CPU, ({_SECONDS}, {_SECONDS}))
resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
import resvg_py
drawing = sys.stdin.buffer.read().decode()
picture = os.dup(1)
os.dup2(2, 1)  # what the library tells goes where faults go
face = dict.fromkeys(("font_family", "serif_family", "sans_serif_family"), {_INSTEAD!r})
if "text" in drawing:  # with a face in their place nothing is told of those that are missing
    resvg_py.svg_to_bytes(svg_string=drawing, log_information=True, zoom=1 / 64)
drawn = resvg_py.svg_to_bytes(svg_string=drawing, font_files=sys.argv[1:], **face)
with os.fdopen(picture, "wb") as out:
    out.write(bytes(drawn))
"""
_MISSING = re.compile(r"No match for '(.*)' font-family")


class Drawing(Struct, frozen=True):
    """The text of a drawing that stands alone, and the size in pixels at which it fills a frame."""

    text: str
    size: Size


def read_drawing(path: Path) -> Drawing:
    """Return a drawing of which no part refers to another file or address.

    Raises
    ------
    MediaError
        If it is no drawing, too large, or has entities of its own, which can swell without end.
    """
    try:
        content = _unpacked(read_file(path, most_bytes=_MOST_BYTES))
        parser = ElementTree.XMLParser(target=_Builder())
        parser.feed(content)
        root = parser.close()
        if root.tag != _SVG:
            raise ValueError("no drawing")
        for element in root.iter():
            for name, value in list(element.attrib.items()):
                is_reference = name.rpartition("}")[2] in ("href", "src", "base")
                if is_reference and not value.strip().startswith(_OWN):
                    del element.attrib[name]
        size = _fill_frame(root)
        return Drawing(ElementTree.tostring(root, encoding="unicode"), size)
    except (ElementTree.ParseError, ExpatError, LookupError, ValueError, RecursionError):
        raise _damaged(path) from None
    except DiskError as error:
        raise MediaError(str(error)) from None


class Drawn(Struct, frozen=True):
    """The picture of a drawing as PNG, and which faces of letters it wanted that are not there."""

    png: bytes
    missing_faces: tuple[str, ...] = ()


def draw_as_png(drawing: Drawing, path: Path) -> Drawn:
    """Return the picture of a drawing; a shipped face shows text whose own one is missing.

    Raises
    ------
    MediaError
        If it cannot be drawn, or not within 20 s and 3 GB; `path` names it.
    """
    try:
        done = subprocess.run(
            [sys.executable, "-I", "-c", _DRAW, *map(str, sorted(FONTS.glob("InstrumentSans*.ttf")))],
            input=drawing.text.encode(errors="replace"),
            capture_output=True,
            timeout=2 * _SECONDS,
            check=True,
        )
    except (OSError, subprocess.SubprocessError):
        raise _damaged(path) from None
    wanted = (one.strip('"') for one in _MISSING.findall(done.stderr.decode(errors="replace")))
    return Drawn(done.stdout, tuple(dict.fromkeys(one.replace('"', "") for one in wanted)))


def _damaged(path: Path) -> MediaError:
    return MediaError(
        f"{short_name(path)} is damaged, too complicated or no drawing; convert it or leave it out."
    )


def _unpacked(content: bytes) -> bytes:
    if content[:2] == b"\x1f\x8b":
        try:
            content = gzip.GzipFile(fileobj=io.BytesIO(content)).read(_MOST_BYTES + 1)
        except (OSError, EOFError, zlib.error):
            raise ValueError("damaged") from None
    if len(content) > _MOST_BYTES:
        raise ValueError("too large")
    return content


def _fill_frame(root: ElementTree.Element) -> Size:
    """Give a drawing the size that fills a frame, whatever it says of itself, and return that."""
    box = [float(number) for number in root.get("viewBox", "").replace(",", " ").split()]
    if len(box) != 4 or not (box[2] > 0 and box[3] > 0):
        box = []
    own = box[2:] or [100.0, 100.0]
    width, height = (
        _pixels(root.get(name), side) for name, side in zip(("width", "height"), own, strict=True)
    )
    if not box:
        root.set("viewBox", f"0 0 {width!r} {height!r}")
    zoom = min(_SHORT_SIDE / min(width, height), _LONG_SIDE / max(width, height))
    size = max(1, round(width * zoom)), max(1, round(height * zoom))
    root.set("width", str(size[0]))
    root.set("height", str(size[1]))
    return size


def _pixels(text: str | None, otherwise: float) -> float:
    found = _LENGTH.fullmatch(text or "")
    length = float(found[1]) * _UNITS[(found[2] or "px").lower()] if found else otherwise
    return length if 1e-6 < length < 1e9 else otherwise


class _Builder(ElementTree.TreeBuilder):
    """Builds a tree that is not too deep for who walks through it."""

    _depth = 0

    def start(self, tag: str, attrs: dict[str, str]) -> ElementTree.Element:
        """Begin an element."""
        self._depth += 1
        if self._depth > _DEEPEST:
            raise ValueError(f"nested more than {_DEEPEST} deep")
        return super().start(tag, attrs)

    def end(self, tag: str) -> ElementTree.Element:
        """End an element."""
        self._depth -= 1
        return super().end(tag)
