"""About how large an export will be, from a few stretches of it that are made to try."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import assert_never

import numpy as np
from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.edits.picture import set_rate
from epiphane.exporting.chunks import chunks_of
from epiphane.exporting.export import export, export_some
from epiphane.exporting.progress import ExportProgress, Report
from epiphane.formats.declare import AnimationOutput, FilmOutput, PictureOutput, SoundOutput
from epiphane.formats.settings import ExportSettings
from epiphane.media.codecs import SoundCodec
from epiphane.media.joining import packet_sizes
from epiphane.media.writer import SOUND_RATE
from epiphane.types import Progress, ignore_progress

_N_STRETCHES, _STRETCH_SECONDS = 12, 0.5
_PCM_BYTES = {"s16": 2, "s32": 3, "flt": 4}
_FLAC_SHARE = 0.65
"""Of the bytes of what it packs, for music."""


def estimated_bytes(
    project: Project,
    settings: ExportSettings,
    frames: range | None = None,
    *,
    progress: Progress = ignore_progress,
) -> int:
    """Return about how many bytes an export will have, mostly right within a quarter.

    Parameters
    ----------
    frames : range or None, at the rate of the settings, else of the project
        All unless given.

    Raises
    ------
    MediaError, ParameterError, DiskError
        As `export` does.
    """
    form, coding = settings.of_format(), settings.coding()
    rate = settings.rate or project.rate
    whole = range(round(project.n_frames / project.rate * rate)) if frames is None else frames
    seconds = len(whole) / float(rate)
    match form.output:
        case SoundOutput(sound=codec):
            return _sound_bytes(codec(coding), seconds)
        case FilmOutput(sound=codec):
            has_sound = project.song is not None and not settings.is_silent
            sound = _sound_bytes(codec, seconds) if has_sound else 0
            return sound + _film_bytes(project, settings, whole, progress)
        case PictureOutput(is_sequence=False):
            return _picture_bytes(project, settings, whole[:1], progress)
        case PictureOutput():
            return _picture_bytes(project, settings, whole, progress)
        case AnimationOutput():
            return _animation_bytes(project, settings, whole, progress)
        case _:
            assert_never(form.output)


def _film_bytes(project: Project, settings: ExportSettings, frames: range, progress: Progress) -> int:
    """Return the bytes of a film's pictures: chunks and shots begin with a key picture, which is larger."""
    keys: list[int] = []
    others: list[int] = []
    silent = replace(settings, is_silent=True, poster=None)
    for stretch, report in _stretches(project, settings, frames, progress):
        with _made(project, silent, stretch, report) as film:
            first, *rest = packet_sizes(film)
        keys.append(first)
        others += rest
    timed = project if settings.rate is None else set_rate(project, settings.rate)
    cuts = {shot.start for shot in timed.shots if shot.start in frames}
    n_keys = len(cuts.union(chunk.start for chunk in chunks_of(timed, frames)))
    mean = float(np.mean(others or keys))
    return round(n_keys * float(np.mean(keys)) + (len(frames) - n_keys) * mean)


def _animation_bytes(project: Project, settings: ExportSettings, frames: range, progress: Progress) -> int:
    """Return the bytes of moving pictures: of stretches that follow each other, with one palette for all."""
    stretches = [stretch for stretch, _ in _stretches(project, settings, frames, progress)]
    some = [frame for stretch in stretches for frame in stretch]
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / f"made{settings.of_format().endings[0]}"
        export_some(project, made, some, settings=settings, report=_share_of(progress))
        return round(made.stat().st_size / len(some) * len(frames))


def _share_of(progress: Progress) -> Report:
    return lambda done: progress(done.n_done / done.n_frames)


def _picture_bytes(project: Project, settings: ExportSettings, frames: range, progress: Progress) -> int:
    n_bytes = n_frames = 0
    for stretch, report in _stretches(project, settings, frames, progress):
        with _made(project, settings, stretch, report) as made:
            files = made.iterdir() if made.is_dir() else [made]
            n_bytes += sum(file.stat().st_size for file in files)
        n_frames += len(stretch)
    return round(n_bytes / n_frames * len(frames))


def _stretches(
    project: Project, settings: ExportSettings, frames: range, progress: Progress
) -> Iterator[tuple[range, Report]]:
    """Yield a few stretches of a film, evenly apart, or all of a short one, and what each reports to."""
    length = max(2, round(_STRETCH_SECONDS * (settings.rate or project.rate)))
    if len(frames) <= _N_STRETCHES * length:
        starts, length = [frames.start], len(frames)
    else:
        last = frames.stop - length
        starts = np.linspace(frames.start, last, 2 * _N_STRETCHES + 1)[1::2].round().astype(int).tolist()
    for number, start in enumerate(starts):

        def report(done: ExportProgress, number: int = number) -> None:
            progress((number + done.n_done / done.n_frames) / len(starts))

        yield range(start, start + length), report


@contextmanager
def _made(project: Project, settings: ExportSettings, frames: range, report: Report) -> Iterator[Path]:
    """Give an export that is made to try, and throw it away."""
    endings = settings.of_format().endings
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / f"made{endings[0] if endings else ''}"
        export(project, made, settings=settings, frames=frames, report=report)
        yield made


def _sound_bytes(codec: SoundCodec, seconds: float) -> int:
    if codec.bit_rate:
        return round(codec.bit_rate / 8 * seconds)
    n_bytes = round(2 * _PCM_BYTES[codec.form.removesuffix("p")] * SOUND_RATE * seconds)
    return round(_FLAC_SHARE * n_bytes) if codec.encoder == "flac" else n_bytes
