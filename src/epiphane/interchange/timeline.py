"""An edit as an OpenTimelineIO timeline, and back: shots, speeds, transitions, tracks, markers for hits."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import unquote, urlparse

from msgspec import Struct
from msgspec.structs import replace

from epiphane.disk import MOST_PROJECT_BYTES, is_file, read_file, short_name
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import FootageCut, Item, footage_item
from epiphane.document.titles import TextFill
from epiphane.edits.footage import add_footage
from epiphane.errors import DiskError, EpiphaneError, MediaError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.facts.source_time import source_seconds
from epiphane.facts.speed import frames_run
from epiphane.files.project import decode_project, encode_compactly, named_files, with_absolute_paths
from epiphane.interchange.declare import Interchange, Reading, declare_interchange
from epiphane.keying.schedule import schedule
from epiphane.keying.transition_cues import TransitionCue
from epiphane.media.probe import probe_footage
from epiphane.timing import frame_at
from epiphane.wording import tr

if TYPE_CHECKING:
    import opentimelineio as otio

_OWN = "epiphane"
_LEAST_SPEED, _MOST_SPEED = 0.01, 100.0
_MOST_FRAMES = 2_000_000
_SAME = 1e-6


class ReadShot(Struct, frozen=True):
    """A shot as a timeline tells it: from when, how long, of which file, from which second on, its speed."""

    start: Fraction
    length: Fraction
    path: str
    source: float
    speed: float


def timeline_file(project: Project) -> bytes:
    """Return a project as the JSON of an OpenTimelineIO timeline.

    What the format has words for stands in them; the whole project is in its metadata, so that it comes back
    as it was where the shots have not been changed.
    """
    return str(_timeline(project).to_json_string(indent=1)).encode()


def _timeline(project: Project) -> otio.schema.Timeline:
    import opentimelineio as otio  # late: only who exchanges files needs it

    made = otio.schema.Timeline(project.name)
    made.metadata[_OWN] = {"project": json.loads(encode_compactly(project))}
    main = otio.schema.Track("shots", kind=otio.schema.TrackKind.Video)
    transitions = {one.cut.frame: one for one in schedule(project).transitions}
    main.extend(_items(project, project.shots, transitions))
    made.tracks.append(main)
    for track in project.tracks:
        row = otio.schema.Track(track.name or "track", kind=otio.schema.TrackKind.Video)
        row.extend(_items(project, track.items, {}))
        made.tracks.append(row)
    song = project.song
    if song is not None:
        row = otio.schema.Track("song", kind=otio.schema.TrackKind.Audio)
        whole = otio.opentime.TimeRange(
            _time(0, project.rate), _time(song.duration * project.rate, project.rate)
        )
        used = otio.opentime.TimeRange(_time(song.start * project.rate, project.rate), whole.duration)
        clip = otio.schema.Clip(Path(song.path).stem, otio.schema.ExternalReference(_url(song.path)), used)
        clip.markers.extend(_markers(project))
        row.append(clip)
        made.tracks.append(row)
    return made


def _items(
    project: Project, items: Sequence[Item], transitions: dict[int, TransitionCue]
) -> Iterator[otio.core.Composable]:
    """Yield the items of a track, gaps between them, and the transitions at their cuts."""
    import opentimelineio as otio

    at = 0
    for item in items:
        if item.start > at:
            yield otio.schema.Gap(duration=_time(item.start - at, project.rate))
        going_on = transitions.get(item.start)
        if going_on is not None and 0 < item.start == at:
            yield otio.schema.Transition(
                going_on.transition.key,
                "SMPTE_Dissolve" if going_on.transition.key == "dissolve" else "Custom_Transition",
                _time(item.start - going_on.first, project.rate),
                _time(going_on.end - item.start, project.rate),
            )
        yield _clip(project, item)
        at = item.end


def shot_clips(project: Project) -> Iterator[otio.core.Composable]:
    """Yield the shots that show a file, from whole frames of it on, and gaps for all that is between."""
    import opentimelineio as otio

    at = 0
    for item in project.shots:
        if not isinstance(item.content, FootageCut) or footage_of(project, item.footage) is None:
            continue
        if item.start > at:
            yield otio.schema.Gap(duration=_time(item.start - at, project.rate))
        clip = _clip(project, item)
        clip.media_reference.available_range = None
        source = clip.source_range.start_time.value
        clip.source_range = otio.opentime.TimeRange(_time(round(source), project.rate), clip.duration())
        yield clip
        at = item.end


def _clip(project: Project, item: Item) -> otio.schema.Clip:
    import opentimelineio as otio

    rate, footage = project.rate, footage_of(project, item.footage)
    length = _time(item.n_frames, rate)
    if footage is None or not isinstance(item.content, FootageCut):
        content = item.content
        kind = str(type(content).__struct_config__.tag)
        name = " ".join(content.text.split()) if isinstance(content, TextFill) else kind
        made = otio.schema.Clip(name, otio.schema.GeneratorReference(generator_kind=f"{_OWN}.{kind}"))
        made.source_range = otio.opentime.TimeRange(_time(0, rate), length)
        return made
    source = source_seconds(item, footage, item.start, rate)
    reference = otio.schema.ExternalReference(_url(footage.path))
    reference.available_range = otio.opentime.TimeRange(_time(0, rate), _time(footage.duration * rate, rate))
    made = otio.schema.Clip(footage.name or Path(footage.path).stem, reference)
    made.source_range = otio.opentime.TimeRange(_time(source * rate, rate), length)
    speed = mean_speed(item)
    if speed == 0:
        made.effects.append(otio.schema.FreezeFrame())
    elif speed != 1:
        made.effects.append(otio.schema.LinearTimeWarp(time_scalar=speed))
    return made


def mean_speed(item: Item) -> float:
    """Return the speed of an item that shows footage, of a curve its mean."""
    assert isinstance(item.content, FootageCut)
    speed = item.content.speed
    return (
        speed
        if isinstance(speed, float | int)
        else round(frames_run(speed, item.n_frames) / item.n_frames, 9)
    )


def _markers(project: Project) -> Iterator[otio.schema.Marker]:
    """Yield a marker for each hit of each pulse, with its exact second beside it."""
    import opentimelineio as otio

    context, start = hit_context_of(project), 0.0 if project.song is None else project.song.start
    for pulse in project.pulses:
        for hit in hits_of(pulse, context):
            frame = frame_at(hit.time, project.rate) + start * project.rate
            place = otio.opentime.TimeRange(_time(frame, project.rate), _time(1, project.rate))
            facts = {_OWN: {"time": hit.time, "strength": hit.strength}}
            yield otio.schema.Marker(pulse.name, place, metadata=facts)


def _time(frames: float | Fraction, rate: Fraction) -> otio.opentime.RationalTime:
    import opentimelineio as otio

    return otio.opentime.RationalTime(float(frames), float(rate))


def _url(path: str) -> str:
    return Path(path).absolute().as_uri()


def read_timeline(path: Path) -> Reading:
    """Return the shots of a timeline, or the whole project that is in it where its shots are as they were.

    Of several tracks of pictures the first is taken. A clip whose file is not there leaves a gap; it is said.

    Raises
    ------
    MediaError
        If it is none, or has no clip.
    """
    shots, own = _parsed(path)
    if own is not None and _are_alike(shots, own):
        return Reading(
            lambda project: own if _has_song_of(project, own) else with_shots(project, shots, own)[0]
        )
    _, remarks = with_shots(Project(), shots, own)
    return Reading(lambda project: with_shots(project, shots, own)[0], tuple(remarks))


def files_of_timeline(path: Path) -> list[Path]:
    """Return the files that a timeline names, its own project's included; errors as of `read_timeline`."""
    shots, own = _parsed(path)
    return list(
        dict.fromkeys([*(Path(one.path) for one in shots), *([] if own is None else named_files(own))])
    )


def _parsed(path: Path) -> tuple[list[ReadShot], Project | None]:
    """Return the shots of a timeline and the project that it was made of; no file that it names is opened."""
    import opentimelineio as otio

    try:
        text = read_file(path, most_bytes=MOST_PROJECT_BYTES).decode()
        found = otio.adapters.read_from_string(text, "otio_json")
        timeline = found if isinstance(found, otio.schema.Timeline) else None
        track = None if timeline is None else next(iter(timeline.video_tracks()), None)
        if timeline is None or track is None:
            raise ValueError("no timeline")
        shots = list(read_shots(track, path.absolute().parent))
    except DiskError as error:
        raise MediaError(str(error)) from None
    except (otio.exceptions.OTIOError, ValueError, TypeError, KeyError, RuntimeError, OverflowError):
        raise MediaError(
            tr("{name} is damaged or no timeline of OpenTimelineIO.", name=short_name(path))
        ) from None
    if not shots:
        raise MediaError(tr("{name} has no clip in its first track.", name=short_name(path)))
    return shots, _own_project(timeline.metadata.get(_OWN), path)


def read_shots(track: otio.schema.Track, folder: Path) -> Iterator[ReadShot]:
    """Yield the clips of a track that show a file, in seconds; names without a folder are in `folder`."""
    import opentimelineio as otio

    at = Fraction(0)
    for child in track:
        if isinstance(child, otio.schema.Transition):
            continue
        length = child.duration()
        seconds = Fraction(length.value).limit_denominator(10**6) / Fraction(length.rate).limit_denominator(
            10**6
        )
        if isinstance(child, otio.schema.Clip) and isinstance(
            child.media_reference, otio.schema.ExternalReference
        ):
            available = child.media_reference.available_range
            first = child.trimmed_range().start_time.to_seconds()
            first -= 0.0 if available is None else available.start_time.to_seconds()
            yield ReadShot(
                at, seconds, _path_of(child.media_reference.target_url, folder), first, _speed_of(child)
            )
        at += seconds


def _exact(value: float) -> Fraction:
    return Fraction(value).limit_denominator(10**6)


def _speed_of(clip: otio.schema.Clip) -> float:
    import opentimelineio as otio

    speed = 1.0
    for effect in clip.effects:
        if isinstance(effect, otio.schema.LinearTimeWarp):  # a freeze frame is one of 0
            speed *= effect.time_scalar
    if speed == 0:
        return 0.0
    return max(min(abs(speed), _MOST_SPEED), _LEAST_SPEED) * (1 if speed > 0 else -1)


def _path_of(url: str, folder: Path) -> str:
    parts = urlparse(url)
    name = unquote(parts.path if parts.scheme == "file" else url)
    return str(folder / name.replace("\0", ""))  # an absolute name stands alone


def _own_project(metadata: Any, path: Path) -> Project | None:
    """Return the project in the metadata of a timeline, or None where there is none that can be read."""
    import opentimelineio as otio

    if metadata is None or "project" not in metadata:
        return None
    try:
        text = otio.core.serialize_json_to_string(metadata["project"]).encode()
        return with_absolute_paths(decode_project(text, where=short_name(path)), path.absolute().parent)
    except (EpiphaneError, ValueError, TypeError):
        return None


def _has_song_of(project: Project, own: Project) -> bool:
    if project.song is None or own.song is None:
        return project.song is None
    return project.song.fingerprint == own.song.fingerprint


def _are_alike(shots: Sequence[ReadShot], own: Project) -> bool:
    """Whether the shots of a timeline are those of the project that is in it."""
    its = [one for one in own.shots if footage_of(own, one.footage) is not None]
    if len(its) != len(shots):
        return False
    for shot, item in zip(shots, its, strict=True):
        footage = footage_of(own, item.footage)
        assert footage is not None
        start, n_frames = (round(seconds * own.rate) for seconds in (shot.start, shot.length))
        source = source_seconds(item, footage, item.start, own.rate)
        is_there = (start, n_frames) == (item.start, item.n_frames)
        shows_same = abs(source - shot.source) < 1e-4 and Path(footage.path).name == Path(shot.path).name
        if not (is_there and shows_same and abs(mean_speed(item) - shot.speed) < _SAME):
            return False
    return True


def with_shots(project: Project, shots: Sequence[ReadShot], own: Project | None) -> tuple[Project, list[str]]:
    """Return `project` with the shots of a timeline on its main track, and what is to be said.

    Parameters
    ----------
    own : Project or None
        What the timeline was made of: where the files of its footage are looked for too.
    """
    remarks: list[str] = []
    facts = {}
    for path in dict.fromkeys(shot.path for shot in shots):
        try:
            facts[path] = probe_footage(Path(path) if is_file(path) else _elsewhere(path, own))
        except MediaError as error:
            remarks.append(str(error))
    project = add_footage(project, list(facts.values()))
    by_print = {one.fingerprint: one for one in project.footage}
    items: list[Item] = []
    number = project.next_id
    for shot in shots:
        start, end = (round(one * project.rate) for one in (shot.start, shot.start + shot.length))
        found = by_print.get(facts[shot.path].fingerprint) if shot.path in facts else None
        if found is None or found.kind is FootageKind.SOUND or not start < end <= _MOST_FRAMES:
            continue
        if items and start < items[-1].end:
            continue
        items.append(_shot(ItemId(number), found, shot, start, end))
        number += 1
    return replace(project, shots=tuple(items), next_id=number), remarks


def _shot(number: ItemId, footage: Footage, shot: ReadShot, start: int, end: int) -> Item:
    source = min(max(shot.source, -86_400.0), 864_000.0)
    return footage_item(
        number, footage.id, start, end - start, source_start=round(source, 9), speed=shot.speed
    )


def _elsewhere(path: str, own: Project | None) -> Path:
    """Return where a file is in the project that the timeline was made of, else the path itself."""
    names = {} if own is None else {Path(one.path).name: one.path for one in own.footage}
    return Path(names.get(Path(path).name, path))


declare_interchange(
    Interchange(
        "otio",
        tr("OpenTimelineIO"),
        (".otio",),
        tr("shots with speed, transitions and tracks, markers for hits; the whole project comes back"),
        timeline_file,
        read_timeline,
        files_of_timeline,
    )
)
