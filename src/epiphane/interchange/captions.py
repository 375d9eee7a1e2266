"""Texts on tracks as captions: SubRip and WebVTT."""

import html
from pathlib import Path

from msgspec import Struct

from epiphane.document.project import Project
from epiphane.document.titles import TextFill
from epiphane.edits.items.captions import put_captions
from epiphane.errors import EditError
from epiphane.files.captions import read_captions
from epiphane.interchange.declare import Interchange, Reading, declare_interchange
from epiphane.timing import frame_start
from epiphane.wording import tr


class Line(Struct, frozen=True):
    """What is read for a while, in seconds."""

    start: float
    end: float
    text: str


def text_lines(project: Project) -> list[Line]:
    """Return the texts of all tracks that are not muted, in the order in which they begin.

    Raises
    ------
    EditError
        If there is none.
    """
    found = [
        Line(
            frame_start(item.start, project.rate),
            frame_start(item.end, project.rate),
            "\n".join(line for line in item.content.text.splitlines() if line.strip()),
        )
        for track in project.tracks
        if not track.is_muted
        for item in track.items
        if isinstance(item.content, TextFill) and item.content.text.strip()
    ]
    if not found:
        raise EditError(tr("there is no text in this edit that could be captions"))
    return sorted(found, key=lambda one: (one.start, one.end))


def subrip(project: Project) -> bytes:
    """Return the texts of a project as SubRip, UTF-8."""
    parts = [
        f"{number}\n{_clock(line.start, ',')} --> {_clock(line.end, ',')}\n{line.text}\n"
        for number, line in enumerate(text_lines(project), start=1)
    ]
    return "\n".join(parts).encode()


def webvtt(project: Project) -> bytes:
    """Return the texts of a project as WebVTT, UTF-8; what would be markup is escaped."""
    parts = [
        f"{_clock(line.start, '.')} --> {_clock(line.end, '.')}\n{html.escape(line.text, quote=False)}\n"
        for line in text_lines(project)
    ]
    return "\n".join(["WEBVTT\n", *parts]).encode()


def _clock(seconds: float, mark: str) -> str:
    milliseconds = round(1000 * seconds)
    minutes, rest = divmod(milliseconds, 60_000)
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{rest // 1000:02d}{mark}{rest % 1000:03d}"


def read_as_texts(path: Path) -> Reading:
    """Return the captions of a file as texts on a track of their own; MediaError if there are none."""
    found = read_captions(path)

    def apply(project: Project) -> Project:
        return put_captions(project, [(one.start, one.end, one.text) for one in found.captions], path.stem)

    return Reading(apply, found.remarks)


_HOLDS = tr("texts on tracks, from when to when; they come back as texts on a track of their own")
declare_interchange(Interchange("srt", tr("Captions (SubRip)"), (".srt",), _HOLDS, subrip, read_as_texts))
declare_interchange(Interchange("vtt", tr("Captions (WebVTT)"), (".vtt",), _HOLDS, webvtt, read_as_texts))
