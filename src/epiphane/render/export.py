"""Export of a project, or a range of it, to a film file."""

import bisect
import math
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import numpy as np
from msgspec import Struct

from epiphane.audio.accents import with_accents
from epiphane.audio.mix import decibels_too_loud, mixed_with_shots, peak_of, read_sounds
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.audio.song_gain import shaped_song
from epiphane.disk import short_name, why_unwritable
from epiphane.document.named_file import named_file
from epiphane.document.project import Project
from epiphane.document.titles import TextFill
from epiphane.edits.picture import set_rate
from epiphane.errors import DiskError, MediaError
from epiphane.facts.heard import heard_items
from epiphane.facts.mattes import needed_mattes
from epiphane.files.project import named_files
from epiphane.keying.accent_hits import accent_hits
from epiphane.keying.schedule import schedule
from epiphane.media.look_files import look_fault
from epiphane.media.mattes import made_mattes, make_matte
from epiphane.media.raw import RawPicture
from epiphane.media.writer import FILM_SUFFIX, SOUND_RATE, MovieWriter
from epiphane.render.draw import draw_planes
from epiphane.render.nodes import FramePlan, SourceFrame, sources_of
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.timing import frame_start, seconds_to_sample
from epiphane.titles.faces import face_fault
from epiphane.types import Float32Array, Plane, Size
from epiphane.wording import tr

_WORKERS = 2
# A decoder of 1080p holds some 20 MB; opening a clip again takes as long as several of its pictures.
_MOST_OPEN = 40
_AHEAD = 8


class ExportProgress(Struct, frozen=True):
    """How far an export is: frames done and in all, and the seconds it has taken."""

    n_done: int
    n_frames: int
    elapsed: float

    @property
    def remaining(self) -> float | None:
        """Seconds still to go at the pace so far, or None before there is one."""
        if self.n_done < 3:
            return None
        return self.elapsed / self.n_done * (self.n_frames - self.n_done)


def export(
    project: Project,
    path: Path,
    *,
    size: Size | None = None,
    rate: Fraction | None = None,
    frames: range | None = None,
    may_replace: bool = False,
    reads: Sequence[Path] = (),
    report: Callable[[ExportProgress], None] = lambda progress: None,
) -> list[str]:
    """Write the project as an H.264/AAC MP4.

    One thread decodes in order, two draw, and the calling one encodes in order.

    Parameters
    ----------
    size, rate
        Of the film; the project's own unless given.
    frames : range, in frames at `rate`
        The stretch to write; all unless given.
    may_replace : bool
        Whether to write over a file that is there; one that the project reads never is.
    reads : sequence of Path
        Further files that must not be written over, such as the project's own.
    report
        Called after every frame; may raise CancelledError, which stops the export.

    Returns
    -------
    What went wrong, a sentence each: with footage, in whose place placeholders are, or that the sound clips.

    Raises
    ------
    MediaError
        If there is nothing to export, the song cannot be read, or the file cannot be written, is there
        already, or has an ending of another format.
    DiskError
        If its folder cannot be written to.
        Nothing is left under the final name, nor is a file that was there before touched.
    """
    check_target(path, [*named_files(project), *reads], may_replace=may_replace)
    project = project if rate is None else set_rate(project, rate)
    size = size or (project.width, project.height)
    if size[0] % 2 or size[1] % 2 or min(size) < 2:
        raise MediaError(
            tr(
                "the size of a film must be even numbers of pixels, got {width}x{height}",
                width=size[0],
                height=size[1],
            )
        )
    wanted = range(project.n_frames)
    if frames is not None:
        wanted = range(max(0, frames.start), min(project.n_frames, frames.stop))
    if not wanted:
        raise MediaError(tr("there is nothing to export: add a song or footage first"))
    started = time.monotonic()
    uses = _Uses(project)
    footage = OpenFootage(most_open=_MOST_OPEN, next_use=uses.next_use)
    try:
        sound, remarks = _sound(project, wanted)
        begun = ExportProgress(0, len(wanted), 0.0)
        remarks = [*remarks, *_make_mattes(project, lambda: report(begun))]
        with MovieWriter(path, size=size, rate=project.rate, sound=sound) as writer:
            for n_done, planes in enumerate(_drawn(project, wanted, footage, size), start=1):
                uses.frame = wanted[n_done - 1]
                writer.write(planes)
                report(ExportProgress(n_done, len(wanted), time.monotonic() - started))
    finally:
        footage.close()
    return [*remarks, *_face_faults(project), *_look_faults(project), *footage.faults()]


def _face_faults(project: Project) -> list[str]:
    """Return which faces of letters are missing or damaged, a sentence each."""
    fills = [item.content for track in project.tracks if not track.is_muted for item in track.items]
    texts = [one for one in fills if isinstance(one, TextFill)]
    texts += [lane.words for lane in project.lanes if lane.words is not None and not lane.is_muted]
    faults = dict.fromkeys(fault for text in texts if (fault := face_fault(text)))
    return [f"{fault.rstrip('.')}: other faces show its letters." for fault in faults]


def _look_faults(project: Project) -> list[str]:
    """Return which looks are missing or damaged, a sentence each."""
    settings = (setting for lane in project.lanes if not lane.is_muted for setting in lane.settings)
    files = dict.fromkeys(file for setting in settings if (file := named_file(setting.peak)) is not None)
    return [tr("{fault}: it is left out.", fault=fault) for file in files if (fault := look_fault(file))]


def _make_mattes(project: Project, go_on: Callable[[], None]) -> list[str]:
    """Make the mattes that a project needs and that are not there; return what went wrong."""
    faults = []
    for footage, matte in needed_mattes(project):
        try:
            make_matte(
                Path(footage.path), footage.fingerprint, matte, footage.rate, progress=lambda _: go_on()
            )
        except (MediaError, DiskError) as error:
            faults.append(f"Nothing stands behind the subject of {Path(footage.path).name}: {error}")
    return faults


def check_target(path: Path, reads: Sequence[Path], *, may_replace: bool) -> None:
    """Check that a film may be written to a file.

    Raises
    ------
    MediaError
        If its ending is not that of the format that is written, it is one of the files that are read,
        under whatever name, no regular file, read-only, or there already and not to be replaced.
    """
    if path.suffix.lower() != FILM_SUFFIX:
        ending = f"not {path.suffix}" if path.suffix else "so the name needs that ending"
        name = short_name(path.with_suffix(FILM_SUFFIX))
        raise MediaError(
            tr(
                "films are written as {suffix}, {ending}: name it {name}.",
                suffix=FILM_SUFFIX,
                ending=ending,
                name=name,
            )
        )
    if reason := why_unwritable(path):
        raise MediaError(f"{short_name(path)} {reason}.")
    if any(_is_same_file(path, one) for one in reads):
        raise MediaError(
            tr(
                "{name} is read by the project itself; choose another name for the film.",
                name=short_name(path),
            )
        )
    if path.exists() and not may_replace:
        raise MediaError(
            tr(
                "{name} is there already; choose another name for the film, or replace it.",
                name=short_name(path),
            )
        )


def unused_name(path: Path) -> Path:
    """Return a path with no file in its place: the same, or with a number behind its name."""
    names = (path.with_name(f"{path.stem} {number}{path.suffix}") for number in range(2, 10_000))
    return path if not path.exists() else next((one for one in names if not one.exists()), path)


def _is_same_file(path: Path, other: Path) -> bool:
    try:
        return path.samefile(other)
    except (OSError, ValueError):
        return False


class _Uses:
    """When each file of a project is shown next, while it is gone through."""

    def __init__(self, project: Project) -> None:
        self.frame = 0
        paths = {footage.id: footage.path for footage in project.footage}
        self._ends: dict[str, list[int]] = {}
        for shot in project.shots:
            if shot.footage is not None:
                self._ends.setdefault(paths.get(shot.footage, ""), []).append(shot.end)

    def next_use(self, path: str) -> float:
        """Return the end of the next shot that shows a file, in frames; infinite where none does."""
        ends = self._ends.get(path, [])
        later = bisect.bisect_right(ends, self.frame)
        return ends[later] if later < len(ends) else math.inf


class _Decoded:
    """Pictures that have been decoded already, as the sources of one plan."""

    def __init__(self, pictures: dict[SourceFrame, RawPicture]) -> None:
        self._pictures = pictures

    def picture(self, source: SourceFrame) -> RawPicture:
        return self._pictures[source]


def _drawn(
    project: Project, frames: range, footage: OpenFootage, size: Size
) -> Iterator[tuple[Plane, Plane, Plane]]:
    """Yield the planes of every frame in order, a few frames ahead of who takes them."""
    cues, mattes = schedule(project), made_mattes(project)
    with ThreadPoolExecutor(1) as decoder, ThreadPoolExecutor(_WORKERS) as workers:

        def decode(plan: FramePlan) -> "Future[tuple[Plane, Plane, Plane]]":
            pictures = {source: footage.picture(source) for source in sources_of(plan.root)}
            return workers.submit(draw_planes, plan, _Decoded(pictures), size)

        waiting: deque[Future[Future[tuple[Plane, Plane, Plane]]]] = deque()
        for frame in frames:
            waiting.append(decoder.submit(decode, plan_frame(project, cues, frame, mattes)))
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result().result()
        while waiting:
            yield waiting.popleft().result().result()


def _sound(project: Project, frames: range) -> tuple[Float32Array | None, list[str]]:
    """Return the mix under the frames, silence where the song is over, and what is to be said of it."""
    if project.song is None:
        return None, []
    whole = resampled_stereo(read_samples(Path(project.song.path)), SOUND_RATE)
    sounds = read_sounds(project, SOUND_RATE)
    song = mixed_with_shots(shaped_song(whole, SOUND_RATE, project.song), project, sounds, SOUND_RATE)
    accents = accent_hits(project, schedule(project))
    song = with_accents(song, accents, SOUND_RATE, sounds)
    first = seconds_to_sample(frame_start(frames.start, project.rate), SOUND_RATE)
    last = seconds_to_sample(frame_start(frames.stop, project.rate), SOUND_RATE)
    sound = song[first:last]
    if len(sound) < last - first:
        sound = np.concatenate([sound, np.zeros((last - first - len(sound), 2), np.float32)])
    has_more = bool(accents) or next(heard_items(project), None) is not None
    peak = peak_of(sound) if has_more else 0.0
    over, remarks = decibels_too_loud(peak), []
    if over:
        remarks = [f"The sound is {over:.1f} dB too loud and clips; take gain of shots or of the song away."]
    return np.clip(sound, -1.0, 1.0), remarks
