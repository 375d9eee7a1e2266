"""Captions and lyrics with their times: SubRip (.srt) and WebVTT (.vtt) files."""

import html
import re
from contextlib import suppress
from pathlib import Path

from msgspec import Struct

from epiphane.disk import read_file
from epiphane.errors import DiskError, MediaError
from epiphane.wording import tr

CAPTION_SUFFIXES = (".srt", ".vtt")
_MOST_BYTES, _MOST_CAPTIONS, _LONGEST = 8 << 20, 5000, 500
_GUESSED_BYTES = 256 << 10
"""By how much of a file its encoding is guessed."""
_TIME = r"(?:(\d{1,3}):)?(\d{1,2}):(\d{1,2})[.,](\d{1,3})"
_SPAN = re.compile(rf"\s*{_TIME}\s*-->\s*{_TIME}")
_MARKS = re.compile(r"<[^<>]*>|\{\\[^{}]*\}")


class Caption(Struct, frozen=True):
    """What is to be read between two instants, in seconds."""

    start: float
    end: float
    text: str


class Captions(Struct, frozen=True):
    """The captions of a file, ascending, and what is to be said of those that were left out or changed."""

    captions: tuple[Caption, ...]
    remarks: tuple[str, ...] = ()


def read_captions(path: Path) -> Captions:
    """Return the captions of a file.

    Of two that overlap the earlier one ends where the later one begins; what has no times is left out.

    Raises
    ------
    MediaError
        If the file is missing, or there is no caption in it.
    """
    try:
        read = read_file(path, most_bytes=_MOST_BYTES)
    except DiskError as error:
        raise MediaError(str(error)) from None
    text, encoding = _as_text(read)
    found, n_bad = _parsed(text)
    if not found:
        raise MediaError(
            tr("{name} has no captions in it: it takes SubRip or WebVTT with times", name=path.name)
        )
    remarks = []
    if encoding:
        remarks.append(f"it is not in UTF-8, and is read as {encoding}: look at its letters")
    if n_bad:
        remarks.append(f"{n_bad} of its captions have no good times and are left out")
    found.sort(key=lambda caption: (caption.start, caption.end))
    if len(found) > _MOST_CAPTIONS:
        remarks.append(f"only the first {_MOST_CAPTIONS} captions are taken")
    made: list[Caption] = []
    n_over = 0
    n_joined = 0
    for caption in found[:_MOST_CAPTIONS]:
        if made and made[-1].start == caption.start:
            n_joined += 1
            before = made.pop()
            words = f"{before.text}\n{caption.text}"[:_LONGEST]
            made.append(Caption(before.start, max(before.end, caption.end), words))
            continue
        if made and made[-1].end > caption.start:
            n_over += 1
            made[-1] = Caption(made[-1].start, caption.start, made[-1].text)
        made.append(caption)
    if n_joined:
        remarks.append(f"{n_joined} captions begin together with another one and stand below it")
    if n_over:
        remarks.append(f"{n_over} captions overlap: each ends where the next one begins")
    kept = tuple(one for one in made if one.end > one.start)
    return Captions(kept, tuple(f"{path.name}: {remark}." for remark in remarks))


def _as_text(read: bytes) -> tuple[str, str]:
    """Return a file's text, and the encoding that was guessed, or nothing where it says itself what it is."""
    encodings = ["utf-16"] if read.startswith((b"\xff\xfe", b"\xfe\xff")) else []
    for encoding in (*encodings, "utf-8-sig"):
        with suppress(UnicodeDecodeError):
            return read.decode(encoding), ""
    from charset_normalizer import from_bytes  # late: a start without captions need not wait for it

    guess = from_bytes(read[:_GUESSED_BYTES]).best()
    encoding = "cp1252" if guess is None else guess.encoding
    return read.decode(encoding, "replace"), encoding.replace("_", "-")


def _parsed(text: str) -> tuple[list[Caption], int]:
    """Return the captions of a text as they come, and how many have no good times."""
    found: list[Caption] = []
    n_bad = 0
    for block in re.split(r"\n[ \t]*\n", text.replace("\r\n", "\n").replace("\r", "\n")):
        lines = block.strip("\n").split("\n")
        place = next((n for n, line in enumerate(lines) if "-->" in line), None)
        if place is None:
            continue
        times = _SPAN.match(lines[place])
        words = "\n".join(html.unescape(_MARKS.sub("", line)).strip() for line in lines[place + 1 :]).strip()
        if times is None:
            n_bad += 1
            continue
        start, end = _seconds(times.groups()[:4]), _seconds(times.groups()[4:])
        if end <= start:
            n_bad += 1
        elif words:
            found.append(Caption(start, end, words[:_LONGEST]))
    return found, n_bad


def _seconds(parts: tuple[str | None, ...]) -> float:
    hours, minutes, seconds, fraction = (part or "0" for part in parts)
    return int(hours) * 3600 + int(minutes) * 60 + int(seconds) + int(fraction.ljust(3, "0")) / 1000
