"""The cuts of an edit as an edit decision list (CMX 3600), and back, through OpenTimelineIO's adapter."""

from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlparse

from msgspec.structs import replace

from epiphane.disk import MOST_PROJECT_BYTES, read_file, short_name
from epiphane.document.project import Project
from epiphane.errors import DiskError, EditError, MediaError
from epiphane.interchange.declare import Interchange, Reading, declare_interchange
from epiphane.interchange.timeline import ReadShot, read_shots, shot_clips, with_shots
from epiphane.timing import rate_text
from epiphane.wording import tr

if TYPE_CHECKING:
    import opentimelineio as otio

_ADAPTER = "cmx_3600"
_RATES = tuple(Fraction(*rate) for rate in ((24, 1), (25, 1), (30_000, 1001), (30, 1), (50, 1), (60, 1)))
"""Frames / second that time code counts."""
_RECORDED = re.compile(r"^\s*\d+\s.*?(?:\s[\d:;]{11}){2}\s+(\d\d:\d\d:\d\d[:;]\d\d)", re.MULTILINE)
_DROPS = re.compile(r"\d\d:\d\d:\d\d;\d\d")


def cut_list(project: Project) -> bytes:
    """Return the shots of a project's main track as an edit decision list; what shows no file is black.

    Raises
    ------
    EditError
        If there are no shots, or at a rate that time code does not count.
    """
    import opentimelineio as otio  # late: only who exchanges files needs it

    if project.rate not in _RATES:
        rates = ", ".join(rate_text(rate) for rate in _RATES)
        raise EditError(
            tr("an edit decision list has {rates} fps, got {rate}", rates=rates, rate=rate_text(project.rate))
        )
    made, track = otio.schema.Timeline(project.name or "epiphane"), otio.schema.Track("V")
    track.extend(shot_clips(project))
    if not any(isinstance(one, otio.schema.Clip) for one in track):
        raise EditError(tr("there are no shots to write"))
    made.tracks.append(track)
    text = otio.adapters.write_to_string(made, _ADAPTER, rate=float(project.rate))
    return str(text).encode()


def read_cut_list(path: Path) -> Reading:
    """Return the shots of an edit decision list, which tells no rate: they are counted at the project's.

    Where it cannot be counted so (a frame 45 at 30 fps), it is at 60 fps, or 29.97 where its time code drops
    frames. Clips are found by the files that its comments name, else by their names among the footage.

    Raises
    ------
    MediaError
        If it is none, or has no clip.
    """
    text = _text_of(path)
    usual = _shots_of(text, path, _usual_rate(text))  # what is wrong with it is said now

    def apply(project: Project) -> Project:
        try:
            shots = _shots_of(text, path, project.rate)
        except MediaError:
            shots = usual
        return with_shots(project, _named(shots, project), None)[0]

    return Reading(apply)


def files_of_cut_list(path: Path) -> list[Path]:
    """Return the files that an edit decision list names; errors as of `read_cut_list`."""
    text = _text_of(path)
    return list(dict.fromkeys(Path(one.path) for one in _shots_of(text, path, _usual_rate(text))))


def _text_of(path: Path) -> str:
    try:
        return read_file(path, most_bytes=MOST_PROJECT_BYTES).decode("utf-8", "replace")
    except DiskError as error:
        raise MediaError(str(error)) from None


def _usual_rate(text: str) -> Fraction:
    """Return a rate at which all of a list can be counted: time code that drops frames has semicolons."""
    return Fraction(30_000, 1001) if _DROPS.search(text) else Fraction(60)


def _shots_of(text: str, path: Path, rate: Fraction) -> list[ReadShot]:
    """Return the shots of a list's text, counted at a rate; `path` is where it is from."""
    import opentimelineio as otio

    try:
        found = otio.adapters.read_from_string(
            text, _ADAPTER, rate=float(rate), ignore_timecode_mismatch=True
        )
        track = next(iter(found.video_tracks()), None) if isinstance(found, otio.schema.Timeline) else None
        if track is None:
            raise ValueError("no timeline")
        _name_files(track)
        begins = _seconds_into_hour(text, rate)
        shots = [replace(one, start=one.start + begins) for one in read_shots(track, path.absolute().parent)]
    except Exception:
        raise MediaError(
            tr("{name} is damaged or no edit decision list (CMX 3600).", name=short_name(path))
        ) from None
    if not shots:
        raise MediaError(tr("{name} has no clip in its first track.", name=short_name(path)))
    return shots


def _seconds_into_hour(text: str, rate: Fraction) -> Fraction:
    """Return from when its first event is recorded; programmes begin on a whole hour, often the first."""
    import opentimelineio as otio

    first = _RECORDED.search(text)
    if first is None:
        return Fraction(0)
    hour = f"{first[1][:2]}:00:00{first[1][8]}00"
    frames = [otio.opentime.from_timecode(one, float(rate)).to_frames() for one in (first[1], hour)]
    return Fraction(frames[0] - frames[1]) / rate


def _name_files(track: otio.schema.Track) -> None:
    """Have every clip refer to a file: that of its comment, of another clip of its name, or its name.

    After a dissolve the adapter gives a clip the file of the clip before.
    """
    import opentimelineio as otio

    clips = [one for one in track if isinstance(one, otio.schema.Clip)]
    urls: dict[str, str] = {}
    for clip in clips:
        reference = clip.media_reference
        if isinstance(reference, otio.schema.ExternalReference):
            urls.setdefault(_stem(reference.target_url), reference.target_url)
    for clip in clips:
        reference = clip.media_reference
        named = urls.get(Path(clip.name or "").stem)
        if named is None and not isinstance(reference, otio.schema.ExternalReference):
            named = clip.name
        if named:
            clip.media_reference = otio.schema.ExternalReference(named)


def _stem(url: str) -> str:
    return Path(unquote(urlparse(url).path)).stem


def _named(shots: list[ReadShot], project: Project) -> list[ReadShot]:
    """Return shots with the project's own footage in place of files that are called as it is."""
    from msgspec.structs import replace

    own = {name: one.path for one in project.footage for name in (one.name, Path(one.path).stem)}
    return [replace(one, path=own.get(Path(one.path).stem, one.path)) for one in shots]


declare_interchange(
    Interchange(
        "edl",
        tr("Edit decision list"),
        (".edl",),
        tr("the cuts of the main track, by time code, with constant speeds"),
        cut_list,
        read_cut_list,
        files_of_cut_list,
    )
)
