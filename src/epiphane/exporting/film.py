"""A film that is to be made: of which project, which frames, how; and the drawing of its frames."""

from __future__ import annotations

import time
from collections.abc import Generator, Sequence
from contextlib import closing
from fractions import Fraction
from pathlib import Path

from msgspec import Struct

from epiphane.document.project import Project
from epiphane.edits.picture import set_rate
from epiphane.errors import MediaError
from epiphane.exporting.chunks import ChunkFolder, chunks_of, film_key
from epiphane.exporting.drawn_frames import DRAWING_THREADS, Maker, T, drawn_frames, footage_of_film
from epiphane.exporting.needs import make_mattes
from epiphane.exporting.progress import ExportProgress, Report
from epiphane.formats.declare import Coding, Depth, FilmOutput, Format
from epiphane.formats.settings import ExportSettings
from epiphane.types import Size
from epiphane.wording import tr


class Film(Struct, frozen=True):
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


def film_of(
    project: Project,
    path: Path,
    settings: ExportSettings,
    *,
    size: Size | None = None,
    rate: Fraction | None = None,
    frames: range | None = None,
) -> Film:
    """Return the film that is wanted.

    Raises
    ------
    MediaError
        If there is nothing to export, or the format cannot be of that size.
    ParameterError
        If the format cannot do what the settings say.
    """
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
    return Film(project, path, wanted, size, form, coding, own_rate, settings)


class Drawing:
    """The drawing of a film's frames: what is told of it, and what goes wrong."""

    def __init__(self, film: Film, report: Report, *, n_threads: int = DRAWING_THREADS) -> None:
        self._film, self._report, self._n_threads = film, report, n_threads
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

    def drawn(self, frames: Sequence[int], make: Maker[T]) -> Generator[T, None, None]:
        """Yield the frames in order, each told as done when the next one is taken."""
        project, is_clear = self._film.project, self._film.settings.is_clear
        self.n_frames = len(frames) + self.n_ready
        self.remarks += make_mattes(project, lambda: self.tell(0))
        footage, note = footage_of_film(project)
        made = drawn_frames(
            project, frames, self._film.size, make, footage, is_clear=is_clear, n_threads=self._n_threads
        )
        with closing(footage), closing(made):  # first what draws: its threads may be decoding still
            try:
                for frame, one in zip(frames, made, strict=True):
                    note(frame)
                    yield one
                    self.tell()
            except BaseException:
                footage.stop()  # what was to come after this frame is not wanted any more
                raise
            self.faults = footage.faults()


def film_output(form: Format) -> FilmOutput:
    """Return how a format writes films; MediaError if it writes none."""
    if not isinstance(form.output, FilmOutput):
        raise MediaError(tr("{label} is not made in chunks; export it at once.", label=form.label))
    return form.output


def chunk_folder(film: Film, *, is_shared: bool) -> ChunkFolder:
    """Return the folder of a film's chunks, locked; see `ChunkFolder`."""
    wanted = film.frames, film.size, film.form.key, film.coding, film.settings.is_clear
    suffix = film.form.endings[0]
    return ChunkFolder(film.path, film_key(film.project, *wanted), suffix, is_shared=is_shared)
