"""The whole project, or a stretch of it, into a file."""

import time
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import numpy as np
from msgspec import Struct

from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.audio.shaping import shaped_song
from epiphane.document.model import Project
from epiphane.edits.picture import set_rate
from epiphane.errors import MediaError
from epiphane.keying.schedule import schedule
from epiphane.media.raw import RawPicture
from epiphane.media.writer import SOUND_RATE, MovieWriter
from epiphane.render.draw import draw_planes
from epiphane.render.plan import FramePlan, SourceFrame, plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.timing import frame_start, seconds_to_sample
from epiphane.types import Float32Array, Plane, Size

_WORKERS = 2
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
    report
        Called after every frame; may raise CancelledError, which stops the export.

    Returns
    -------
    What went wrong with footage, a sentence for each file; placeholders are in its place.

    Raises
    ------
    MediaError
        If there is nothing to export, the song cannot be read, or the file cannot be written.
        Nothing is left under the final name, nor is a file that was there before touched.
    """
    project = project if rate is None else set_rate(project, rate)
    size = size or (project.width, project.height)
    if size[0] % 2 or size[1] % 2 or min(size) < 2:
        raise MediaError(f"the size of a film must be even numbers of pixels, got {size[0]}x{size[1]}")
    wanted = range(project.n_frames)
    if frames is not None:
        wanted = range(max(0, frames.start), min(project.n_frames, frames.stop))
    if not wanted:
        raise MediaError("there is nothing to export: add a song or footage first")
    started = time.monotonic()
    footage = OpenFootage()
    try:
        sound = _sound(project, wanted)
        with MovieWriter(path, size=size, rate=project.rate, sound=sound) as writer:
            for n_done, planes in enumerate(_drawn(project, wanted, footage, size), start=1):
                writer.write(planes)
                report(ExportProgress(n_done, len(wanted), time.monotonic() - started))
    finally:
        footage.close()
    return footage.faults()


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
    cues = schedule(project)
    with ThreadPoolExecutor(1) as decoder, ThreadPoolExecutor(_WORKERS) as workers:

        def decode(plan: FramePlan) -> "Future[tuple[Plane, Plane, Plane]]":
            wanted = [one.source for effect in plan.effects for one in effect.others]
            wanted += [plan.source] if plan.source is not None else []
            pictures = {source: footage.picture(source) for source in wanted}  # earlier ones first
            return workers.submit(draw_planes, plan, _Decoded(pictures), size)

        waiting: deque[Future[Future[tuple[Plane, Plane, Plane]]]] = deque()
        for frame in frames:
            waiting.append(decoder.submit(decode, plan_frame(project, cues, frame)))
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result().result()
        while waiting:
            yield waiting.popleft().result().result()


def _sound(project: Project, frames: range) -> Float32Array | None:
    """Return the song under the frames, silence where it is over."""
    if project.song is None:
        return None
    whole = resampled_stereo(read_samples(Path(project.song.path)), SOUND_RATE)
    song = shaped_song(whole, SOUND_RATE, project.song)
    first = seconds_to_sample(frame_start(frames.start, project.rate), SOUND_RATE)
    last = seconds_to_sample(frame_start(frames.stop, project.rate), SOUND_RATE)
    sound = song[first:last]
    if len(sound) < last - first:
        sound = np.concatenate([sound, np.zeros((last - first - len(sound), 2), np.float32)])
    return np.clip(sound, -1.0, 1.0)
