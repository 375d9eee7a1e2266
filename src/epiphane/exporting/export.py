"""Export of a project, or a range of it, to a file or a folder of any format."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import assert_never

from msgspec import Struct

from epiphane.audio.sound_file import write_sound_file
from epiphane.document.project import Project
from epiphane.errors import MediaError
from epiphane.exporting.farm import FarmError, make_chunks_on
from epiphane.exporting.film import Drawing, Film, chunk_folder, film_of, film_output
from epiphane.exporting.film_file import join, make_chunks, sound_of
from epiphane.exporting.film_sound import film_sound
from epiphane.exporting.needs import face_faults, look_faults
from epiphane.exporting.pictures import write_animation, write_pictures
from epiphane.exporting.progress import Report
from epiphane.exporting.target import check_target
from epiphane.files.project import named_files
from epiphane.formats.declare import AnimationOutput, FilmOutput, PictureOutput, SoundOutput
from epiphane.formats.settings import USUAL_SETTINGS, ExportSettings
from epiphane.types import Size
from epiphane.wording import tr


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
    farm: str = "",
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
    farm : str
        The address of a scheduler whose workers make the chunks of a film, as of `make_chunks_on`; this
        process makes them unless given.

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
    FarmError
        If the farm cannot be used; what it has made of a film stays, to be taken up again.
    DiskError
        If its folder cannot be written to.
        Nothing is left under the final name, nor is a file that was there before touched.
    """
    film = film_of(project, path, settings, size=size, rate=rate, frames=frames)
    check_target(path, [*named_files(project), *reads], may_replace=may_replace, form=film.form)
    if farm:
        film_output(film.form)  # a farm makes films alone
    drawing = Drawing(film, report)
    match film.form.output:
        case FilmOutput() as output:
            remarks = _write_film(film, output, drawing, keeps_chunks, farm)
        case PictureOutput() as output:
            remarks = write_pictures(film, output, drawing)
        case AnimationOutput() as output:
            remarks = write_animation(film, output, drawing, _frames_at_rate(film))
        case SoundOutput(container=container, sound=codec):
            sound = film_sound(film.project, film.frames, settings.loudness)
            if sound is None:
                raise MediaError(tr("there is no sound to export: add a song first"))
            title = film.project.name
            write_sound_file(path, sound.samples, codec=codec(film.coding), container=container, title=title)
            drawing.tell(len(film.frames))
            return list(sound.remarks)
        case _:
            assert_never(film.form.output)
    return [*remarks, *face_faults(film.project), *look_faults(film.project), *drawing.faults]


def export_some(
    project: Project, path: Path, frames: Sequence[int], *, settings: ExportSettings, report: Report
) -> None:
    """Write some frames, wherever they are, as moving pictures, to see how large these become.

    Errors are those of `export`; the format must be one of moving pictures.
    """
    film = film_of(project, path, settings)
    assert isinstance(film.form.output, AnimationOutput)
    write_animation(film, film.form.output, Drawing(film, report), frames)


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
    film = film_of(project, path, settings, frames=frames)
    output = film_output(film.form)
    drawing = Drawing(film, report)
    with chunk_folder(film, is_shared=True) as folder:
        wanted = [number for number in folder.missing(film.chunks) if number % share.of == share.part - 1]
        remarks = make_chunks(film, output, drawing, wanted, folder.path)
    return [*remarks, *drawing.faults]


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
    film = film_of(project, path, settings, frames=frames)
    check_target(path, [*named_files(project), *reads], may_replace=may_replace, form=film.form)
    output = film_output(film.form)
    with chunk_folder(film, is_shared=False) as folder:
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
        remarks = join(film, output, folder, sound_of(film))
        folder.remove()
    return remarks


def _write_film(
    film: Film, output: FilmOutput, drawing: Drawing, keeps_chunks: Callable[[], bool], farm: str
) -> list[str]:
    """Write a film chunk by chunk, those that are there already left out."""
    sound = sound_of(film)  # first: a song that is gone is told before anything is drawn
    with chunk_folder(film, is_shared=False) as folder:
        chunks = film.chunks
        try:
            missing = folder.missing(chunks)
            drawing.n_ready = len(film.frames) - sum(len(chunks[number]) for number in missing)
            if farm:
                remarks = make_chunks_on(farm, film, drawing, missing, folder.path)
            else:
                remarks = make_chunks(film, output, drawing, missing, folder.path)
            remarks += join(film, output, folder, sound)
        except BaseException as error:
            has_made_some = len(folder.missing(chunks)) < len(chunks)
            if not (has_made_some and isinstance(error, FarmError)) and not keeps_chunks():
                folder.remove()
            raise
        folder.remove()
    return remarks


def _frames_at_rate(film: Film) -> list[int]:
    """Return which frame of the project each picture of a film of another rate shows."""
    seconds = len(film.frames) / film.project.rate
    count = max(1, round(seconds * film.own_rate))
    last = film.frames.stop - 1
    return [
        min(film.frames.start + int(number / film.own_rate * film.project.rate), last)
        for number in range(count)
    ]
