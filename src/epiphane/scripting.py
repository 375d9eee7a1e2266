"""What scripts and notebooks use: listen to a song, load a project, look at its frames, write the film.

All of it is reached as ``epiphane.listen`` and so on; what is drawn and written is what the window draws and
writes.
"""

from fractions import Fraction
from os import PathLike
from pathlib import Path

from epiphane.audio.cache import hear_song
from epiphane.audio.heard import Listening
from epiphane.document.project import Project
from epiphane.errors import ParameterError
from epiphane.exporting.export import export as write_film
from epiphane.files.project import load_project
from epiphane.formats.declare import format_for
from epiphane.formats.settings import ExportSettings
from epiphane.keying.schedule import Schedule, schedule
from epiphane.media.mattes import made_mattes
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size
from epiphane.wording import tr


def listen(song: str | PathLike[str]) -> Listening:
    """Return what is heard in a song: beats, bars, drums, sections and drops, in seconds of its file.

    What was heard once is remembered by the content of the file.

    Raises
    ------
    MediaError
        If it cannot be read, or has no sound.
    """
    return hear_song(Path(song)).listening


def load(project: str | PathLike[str]) -> Project:
    """Return the project of a file; it is immutable, and the functions of `epiphane.edits` return others.

    Raises
    ------
    DiskError
        If the file is missing, no regular file, too large or unreadable.
    ProjectFileError
        If it is damaged, too new or breaks the format.
    """
    return load_project(Path(project))


def plan(project: Project) -> Schedule:
    """Return every lane's cues, and its level on every frame: ``plan(project).lanes[0].levels``."""
    return schedule(project)


def picture_at(project: Project, frame: int, *, size: Size | None = None) -> Picture:
    """Return the picture of a frame of a project.

    Parameters
    ----------
    frame : int, from 0
    size : (width, height) in pixels, the project's own unless given

    Returns
    -------
    uint8, shape (height, width, 3), blue, green, red; a placeholder stands for footage that cannot be read

    Raises
    ------
    ParameterError
        If there is no such frame.
    """
    if not 0 <= frame < project.n_frames:
        raise ParameterError(
            tr(
                "there is no frame {frame}: the film has {n_frames}, from 0 on",
                frame=frame,
                n_frames=project.n_frames,
            )
        )
    footage = OpenFootage()
    try:
        plan = plan_frame(project, schedule(project), frame, made_mattes(project))
        found = draw(plan, footage, size or (project.width, project.height))
    finally:
        footage.close()
    return found


def export(
    project: Project,
    film: str | PathLike[str],
    *,
    settings: ExportSettings | None = None,
    size: Size | None = None,
    rate: Fraction | None = None,
    frames: range | None = None,
    overwrite: bool = False,
) -> list[str]:
    """Write a project in any format, and return what went wrong with its footage, a sentence each.

    Parameters
    ----------
    settings : ExportSettings or None
        Format, quality, loudness and more; without them it is of the format of the film's ending.
    size, rate
        (width, height) in pixels, frames / second; the project's own unless given.
    frames : range, in frames at `rate`
        All unless given.
    overwrite : bool
        Whether to write over a file that is there; one that the project reads never is.

    Raises
    ------
    MediaError
        If there is nothing to write, the song cannot be read, or the film cannot be written or is there.
    DiskError
        If its folder cannot be written to.
    """
    path = Path(film)
    settings = settings or ExportSettings(format_for(path).key)
    return write_film(
        project, path, settings=settings, size=size, rate=rate, frames=frames, may_replace=overwrite
    )
