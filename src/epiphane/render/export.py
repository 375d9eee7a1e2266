"""Export of a project, or a range of it, to a file or a folder of any format."""

from __future__ import annotations

import secrets
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import assert_never

from msgspec import Struct

from epiphane.audio.sound_file import write_sound_file
from epiphane.disk import flush_folder, write_atomically
from epiphane.document.project import Project
from epiphane.edits.picture import set_rate
from epiphane.errors import DiskError, MediaError
from epiphane.facts.form import part_words, parts_of
from epiphane.files.project import named_files
from epiphane.formats.declare import (
    AnimationOutput,
    Coding,
    Depth,
    FilmOutput,
    Format,
    PictureOutput,
    SoundOutput,
)
from epiphane.formats.settings import USUAL_SETTINGS, ExportSettings
from epiphane.media.codecs import Animation
from epiphane.media.joining import Chapter, Chunk, FilmFacts, join_chunks
from epiphane.media.picture_files import encoded_jpeg
from epiphane.media.writer import MovieWriter
from epiphane.render.chunks import ChunkFolder, chunks_of, film_key
from epiphane.render.draw import Sources
from epiphane.render.drawn_frames import (
    Maker,
    Plans,
    T,
    as_picture,
    as_planes,
    drawn_frames,
    footage_of_film,
)
from epiphane.render.export_needs import face_faults, look_faults, make_mattes
from epiphane.render.export_target import check_target
from epiphane.render.film_sound import FilmSound, film_sound
from epiphane.timing import frame_at
from epiphane.types import Size
from epiphane.wording import tr


class ExportProgress(Struct, frozen=True):
    """How far an export is: frames done and in all, and the seconds it has taken.

    Of the frames that are done some may have been ready before: `n_ready`.
    """

    n_done: int
    n_frames: int
    elapsed: float
    n_ready: int = 0

    @property
    def remaining(self) -> float | None:
        """Seconds still to go at the pace so far, or None before there is one."""
        n_drawn = self.n_done - self.n_ready
        if n_drawn < 3:
            return None
        return self.elapsed / n_drawn * (self.n_frames - self.n_done)


_EDGE = 1e-3
Report = Callable[[ExportProgress], None]


class Share(Struct, frozen=True):
    """Which chunks of a film are made where machines share it: the `part`-th of each `of`, from 1."""

    part: int
    of: int


def export(
    project: Project,
    path: Path,
    *,
    settings: ExportSettings = USUAL_SETTINGS,
    size: Size | None = None,
    rate: Fraction | None = None,
    frames: range | None = None,
    may_replace: bool = False,
    reads: Sequence[Path] = (),
    report: Report = lambda progress: None,
    keeps_chunks: Callable[[], bool] = lambda: False,
) -> list[str]:
    """Write the project in the format of its settings: H.264 in MP4 unless they say otherwise.

    Parameters
    ----------
    size, rate
        Of the film; those of the settings, else the project's own, unless given.
    frames : range, in frames at `rate`
        The stretch to write; all unless given. A still is its first frame.
    may_replace : bool
        Whether to write over a file that is there; one that the project reads never is.
    reads : sequence of Path
        Further files that must not be written over, such as the project's own.
    report
        Called after every frame; may raise CancelledError, which stops the export.
    keeps_chunks
        Asked when it is stopped: whether what is ready of a film stays, to be taken up again.

    Returns
    -------
    What went wrong, a sentence each: with footage, in whose place placeholders are, or that the sound clips.

    Raises
    ------
    MediaError
        If there is nothing to export, the song cannot be read, or the file cannot be written, is there
        already, or has an ending of another format.
    ParameterError
        If the format cannot do what the settings say.
    DiskError
        If its folder cannot be written to.
        Nothing is left under the final name, nor is a file that was there before touched.
    """
    film = _film(project, path, settings, size=size, rate=rate, frames=frames)
    check_target(path, [*named_files(project), *reads], may_replace=may_replace, form=film.form)
    maker = _Making(film, report)
    match film.form.output:
        case FilmOutput() as output:
            remarks = _write_film(film, output, maker, keeps_chunks)
        case PictureOutput() as output:
            remarks = _write_pictures(film, output, maker)
        case AnimationOutput() as output:
            remarks = _write_animation(film, output, maker, _frames_at_rate(film))
        case SoundOutput(container=container, sound=codec):
            sound = film_sound(film.project, film.frames, settings.loudness)
            if sound is None:
                raise MediaError(tr("there is no sound to export: add a song first"))
            title = film.project.name
            write_sound_file(path, sound.samples, codec=codec(film.coding), container=container, title=title)
            maker.tell(len(film.frames))
            return list(sound.remarks)
        case _:
            assert_never(film.form.output)
    return [*remarks, *face_faults(film.project), *look_faults(film.project), *maker.faults]


def export_some(
    project: Project, path: Path, frames: Sequence[int], *, settings: ExportSettings, report: Report
) -> None:
    """Write some frames, wherever they are, as moving pictures, to see how large these become.

    Errors are those of `export`; the format must be one of moving pictures.
    """
    film = _film(project, path, settings)
    assert isinstance(film.form.output, AnimationOutput)
    _write_animation(film, film.form.output, _Making(film, report), frames)


def export_chunks(
    project: Project,
    path: Path,
    share: Share,
    *,
    settings: ExportSettings = USUAL_SETTINGS,
    frames: range | None = None,
    report: Report = lambda progress: None,
) -> list[str]:
    """Make a share of a film's chunks, which wait in a hidden folder beside `path` for `join_film`.

    Everything else is as with `export`.

    Raises
    ------
    MediaError
        If the format is none of a film.
    """
    film = _film(project, path, settings, frames=frames)
    output = _film_output(film.form)
    maker = _Making(film, report)
    with _chunk_folder(film, is_shared=True) as folder:
        wanted = [number for number in folder.missing(film.chunks) if number % share.of == share.part - 1]
        remarks = _make_chunks(film, output, maker, folder, wanted)
    return [*remarks, *maker.faults]


def join_film(
    project: Project,
    path: Path,
    *,
    settings: ExportSettings = USUAL_SETTINGS,
    frames: range | None = None,
    may_replace: bool = False,
    reads: Sequence[Path] = (),
) -> list[str]:
    """Join the chunks that `export_chunks` has made to a film, with the same project and settings.

    Raises
    ------
    MediaError
        If chunks are missing; the message names them.
    """
    film = _film(project, path, settings, frames=frames)
    check_target(path, [*named_files(project), *reads], may_replace=may_replace, form=film.form)
    output = _film_output(film.form)
    with _chunk_folder(film, is_shared=False) as folder:
        if missing := folder.missing(film.chunks):
            names = ", ".join(str(number + 1) for number in missing[:8])
            raise MediaError(
                tr(
                    "{count} of {total} chunks are not there: {names}. Make them first, with the same"
                    " project and settings.",
                    count=len(missing),
                    total=len(film.chunks),
                    names=names,
                )
            )
        remarks = _join(film, output, folder, _sound(film))
        folder.remove()
    return remarks


class _Film(Struct, frozen=True):
    """A film that is to be made: of which project, at its rate, which frames, where, how."""

    project: Project
    path: Path
    frames: range
    size: Size
    form: Format
    coding: Coding
    own_rate: Fraction
    settings: ExportSettings

    @property
    def depth(self) -> Depth:
        """What its pictures are made of, where they are files of their own."""
        return Depth(self.coding.bits)

    @property
    def chunks(self) -> list[range]:
        """Its frames in chunks."""
        return chunks_of(self.project, self.frames)


def _film(
    project: Project,
    path: Path,
    settings: ExportSettings,
    *,
    size: Size | None = None,
    rate: Fraction | None = None,
    frames: range | None = None,
) -> _Film:
    """Return the film that is wanted; an error where it cannot be."""
    form, coding = settings.of_format(), settings.coding()
    rate = rate or settings.rate
    project = project if rate is None else set_rate(project, rate)
    size = size or settings.size or (project.width, project.height)
    least = form.least_size
    if size[0] < least[0] or size[1] < least[1]:
        raise MediaError(
            tr(
                "{label} needs {least_width}x{least_height} pixels or more, got {width}x{height}",
                label=form.label,
                least_width=least[0],
                least_height=least[1],
                width=size[0],
                height=size[1],
            )
        )
    if form.shares_colours and (size[0] % 2 or size[1] % 2):
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
    own = [one for one in form.rates if one <= project.rate]
    own_rate = (
        project.rate if not form.rates or project.rate in form.rates else max(own, default=min(form.rates))
    )
    return _Film(project, path, wanted, size, form, coding, own_rate, settings)


class _Making:
    """The drawing of a film's frames: what is told of it, and what goes wrong."""

    def __init__(self, film: _Film, report: Report) -> None:
        self._film, self._report = film, report
        self._started = time.monotonic()
        self._n_done = self.n_ready = 0
        self.remarks: list[str] = []
        self.faults: list[str] = []
        self.n_frames = len(film.frames)

    def tell(self, n_more: int = 1) -> None:
        """Tell that frames are done."""
        self._n_done += n_more
        elapsed = time.monotonic() - self._started
        self._report(ExportProgress(self._n_done + self.n_ready, self.n_frames, elapsed, self.n_ready))

    def drawn(self, frames: Sequence[int], make: Maker[T]) -> Iterator[T]:
        """Yield the frames in order, each told as done when the next one is taken."""
        project, is_clear = self._film.project, self._film.settings.is_clear
        self.n_frames = len(frames) + self.n_ready
        self.remarks += make_mattes(project, lambda: self.tell(0))
        footage, note = footage_of_film(project)
        try:
            made = drawn_frames(project, frames, self._film.size, make, footage, is_clear=is_clear)
            for frame, one in zip(frames, made, strict=True):
                note(frame)
                yield one
                self.tell()
            self.faults = footage.faults()
        finally:
            footage.close()


def _film_output(form: Format) -> FilmOutput:
    if not isinstance(form.output, FilmOutput):
        raise MediaError(tr("{label} is not made in chunks; export it at once.", label=form.label))
    return form.output


def _chunk_folder(film: _Film, *, is_shared: bool) -> ChunkFolder:
    wanted = film.frames, film.size, film.form.key, film.coding, film.settings.is_clear
    suffix = film.form.endings[0]
    return ChunkFolder(film.path, film_key(film.project, *wanted), suffix, is_shared=is_shared)


def _write_film(
    film: _Film, output: FilmOutput, maker: _Making, keeps_chunks: Callable[[], bool]
) -> list[str]:
    """Write a film chunk by chunk, those that are there already left out."""
    sound = _sound(film)  # first: a song that is gone is told before anything is drawn
    with _chunk_folder(film, is_shared=False) as folder:
        try:
            chunks = film.chunks
            missing = folder.missing(chunks)
            maker.n_ready = len(film.frames) - sum(len(chunks[number]) for number in missing)
            remarks = _make_chunks(film, output, maker, folder, missing)
            remarks += _join(film, output, folder, sound)
        except BaseException:
            if not keeps_chunks():
                folder.remove()
            raise
        folder.remove()
    return remarks


def _make_chunks(
    film: _Film, output: FilmOutput, maker: _Making, folder: ChunkFolder, numbers: Sequence[int]
) -> list[str]:
    """Make the chunks of some numbers, and return what is to be said."""
    codec, chunks = output.video(film.coding), film.chunks
    frames = [frame for number in numbers for frame in chunks[number]]
    drawn = maker.drawn(frames, as_planes(codec.layout))
    for number in numbers:
        with MovieWriter(
            folder.path(number),
            size=film.size,
            rate=film.project.rate,
            video=codec,
            container=output.container,
            options={},
        ) as writer:
            for _ in chunks[number]:
                writer.write(next(drawn))
    for _ in drawn:  # on to its end: there it tells of faults
        pass
    return maker.remarks


def _sound(film: _Film) -> FilmSound | None:
    if film.settings.is_silent:
        return None
    return film_sound(film.project, film.frames, film.settings.loudness)


def _join(film: _Film, output: FilmOutput, folder: ChunkFolder, sound: FilmSound | None) -> list[str]:
    """Write the film of chunks that are all there, and return what is to be said."""
    chunks = [Chunk(folder.path(number), len(part)) for number, part in enumerate(film.chunks)]
    join_chunks(
        chunks,
        film.path,
        rate=film.project.rate,
        codec=output.video(film.coding),
        container=output.container,
        options=output.options,
        sound=None if sound is None else sound.samples,
        audio=output.sound,
        facts=_facts(film, output),
    )
    return [] if sound is None else list(sound.remarks)


def _facts(film: _Film, output: FilmOutput) -> FilmFacts:
    """Return what a film says of itself: its title, its parts as chapters, its poster."""
    settings, rate = film.settings, film.project.rate
    chapters = _chapters(film) if settings.has_chapters else ()
    poster = b""
    if settings.poster is not None and output.has_poster:
        frame = min(max(frame_at(settings.poster, rate), 0), film.project.n_frames - 1)
        (picture,) = _Making(film, lambda _: None).drawn([frame], as_picture(Depth.LEVELS_8))
        poster = encoded_jpeg(picture)
    return FilmFacts(film.project.name, chapters, poster)


def _chapters(film: _Film) -> tuple[Chapter, ...]:
    """Return the parts of the song as chapters: of the first one the film's beginning is the start."""
    start, end = (float(frame / film.project.rate) for frame in (film.frames.start, film.frames.stop))
    parts = [
        one for one in parts_of(film.project.song) if one.start < end - _EDGE and one.end > start + _EDGE
    ]
    starts = [max(0.0, one.start - start) if number else 0.0 for number, one in enumerate(parts)]
    return tuple(Chapter(at, part_words(one)) for at, one in zip(starts, parts, strict=True))


def _write_animation(
    film: _Film, output: AnimationOutput, maker: _Making, frames: Sequence[int]
) -> list[str]:
    pictures = maker.drawn(frames, as_picture(film.depth))
    output.write(film.path, Animation(pictures, len(frames), film.own_rate), film.coding)
    return maker.remarks


def _write_pictures(film: _Film, output: PictureOutput, maker: _Making) -> list[str]:
    """Write one still, or a folder with a picture for each frame, whole or not at all."""
    make = as_picture(film.depth)
    if not output.is_sequence:
        (picture,) = maker.drawn([film.frames.start], make)
        write_atomically(film.path, output.encoded(picture, film.coding))
        return maker.remarks

    def encoded(plans: Plans, level: float, sources: Sources, size: Size) -> bytes:
        return output.encoded(make(plans, level, sources, size), film.coding)

    target = film.path.absolute()
    part = target.with_name(f".{target.name[:100]}.{secrets.token_hex(6)}.part")
    suffix = f".{film.form.key.split('-')[0]}"
    try:
        part.mkdir()
        for frame, content in zip(film.frames, maker.drawn(film.frames, encoded), strict=True):
            (part / f"{target.name}.{frame:06d}{suffix}").write_bytes(content)
        _put_in_place(part, target)
    except OSError as error:
        raise DiskError(
            tr("{path} cannot be written: {reason}.", path=target, reason=error.strerror)
        ) from None
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return maker.remarks


def _put_in_place(part: Path, target: Path) -> None:
    """Give a folder its name; an earlier sequence there goes."""
    if target.exists():
        old = target.with_name(f"{part.name}-old")
        target.rename(old)
        part.rename(target)
        shutil.rmtree(old, ignore_errors=True)
    else:
        part.rename(target)
    flush_folder(target.parent)


def _frames_at_rate(film: _Film) -> list[int]:
    """Return which frame of the project each picture of a film of another rate shows."""
    seconds = len(film.frames) / film.project.rate
    count = max(1, round(seconds * film.own_rate))
    last = film.frames.stop - 1
    return [
        min(film.frames.start + int(number / film.own_rate * film.project.rate), last)
        for number in range(count)
    ]
