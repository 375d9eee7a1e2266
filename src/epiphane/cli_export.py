"""Commands that write films: render, its chunks, join, formats, the queue of exports and a farm."""

import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any

import click
from msgspec.structs import replace

from epiphane.cli_files import FILE, ask_about_folders, check_unwritten
from epiphane.cli_words import parse_size
from epiphane.document.project import Project
from epiphane.document.timeline import Shape
from epiphane.edits.frame_shapes import in_shape
from epiphane.edits.picture import set_rate
from epiphane.errors import EpiphaneError, MediaError, ParameterError
from epiphane.exporting.export import Share, export, export_chunks, join_film
from epiphane.exporting.film import film_of
from epiphane.exporting.local_farm import local_farm
from epiphane.exporting.notices import tell_desktop
from epiphane.exporting.order import ExportOrder, for_each_shape
from epiphane.exporting.progress import ExportProgress, Report
from epiphane.exporting.queue import ExportQueue, Stage
from epiphane.exporting.queue_process import start_process
from epiphane.exporting.target import check_target
from epiphane.facts.form import part_words, parts_of
from epiphane.files.export_presets import PresetBook
from epiphane.files.project import SUFFIX, load_project, missing_files, named_files
from epiphane.formats.declare import FORMATS, USUAL, QualityWord, format_for
from epiphane.formats.settings import ExportSettings
from epiphane.timing import frame_at, parse_rate
from epiphane.wording import tr


def film_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Return a command with the options that say how a film is to be."""
    options = (
        click.option("--size", metavar="WxH", help="Width and height in pixels, both even."),
        click.option("--fps", metavar="N", help="Frames a second: 30, 29.97, 30000/1001."),
        click.option(
            "--range", "stretch", metavar="A:B", help="From A to B, in seconds; either may be left out."
        ),
        click.option(
            "--format", "key", metavar="NAME", help="One of `epiphane formats`; OUT's ending tells it else."
        ),
        click.option(
            "--quality", metavar="WORD", help="small, good or fine, or the number of the format's encoder."
        ),
        click.option("--bits", type=int, help="A value: 8, 10, 16 or 32, as the format has them."),
        click.option(
            "--loudness", type=click.FloatRange(-36, -6), metavar="LUFS", help="What the sound is brought to."
        ),
        click.option("--silent", "is_silent", is_flag=True, help="Leave the sound out of a film."),
        click.option("--clear", "is_clear", is_flag=True, help="Titles and overlays alone, over nothing."),
        click.option("--chapters", "has_chapters", is_flag=True, help="A chapter for each part of the song."),
        click.option("--poster", type=float, metavar="SECONDS", help="The picture that stands for the film."),
        click.option("--preset", metavar="NAME", help="Settings by a name; other options change them."),
    )
    for option in reversed(options):
        command = option(command)
    return command


class FilmWords:
    """How a film was asked for on the command line: its settings, its project in the shape, its frames.

    Raises
    ------
    ParameterError
        If a word means nothing, or the format cannot do it.
    """

    def __init__(self, project: Project, out: Path, **words: Any) -> None:
        self.settings = _settings(project, out, words)
        form = self.settings.of_format()
        self.settings.coding()
        size = self.settings.size
        self.project = project if size is None else in_shape(project, Shape(*size))
        rate = self.settings.rate or project.rate
        self.project = set_rate(self.project, rate)
        stretch = words["stretch"]
        self.frames = parse_range(stretch, rate) if stretch else None
        if not form.endings and out.suffix and words["key"] is None:
            raise ParameterError(f"{form.label} is a folder: name one without an ending")

    @property
    def bounds(self) -> tuple[int, int] | None:
        """The first of its frames and their end, or None for all."""
        return None if self.frames is None else (self.frames.start, self.frames.stop)


def _settings(project: Project, out: Path, words: dict[str, Any]) -> ExportSettings:
    made = ExportSettings()
    if words["preset"] is not None:
        made = PresetBook.of_user().named(words["preset"]).settings_for((project.width, project.height))
    if words["key"] is not None or words["preset"] is None:
        made = replace(made, format=_format_key(out, words))
    changes: dict[str, Any] = {
        name: words[name] for name in ("bits", "loudness", "poster") if words[name] is not None
    }
    changes |= {name: True for name in ("is_silent", "is_clear", "has_chapters") if words[name]}
    if words["quality"] is not None:
        changes["quality"] = parse_quality(words["quality"])
    if words["size"] is not None:
        changes["size"] = parse_size(words["size"])
    if words["fps"] is not None:
        changes["rate"] = parse_rate(words["fps"])
    return replace(made, **changes)


def _format_key(out: Path, words: dict[str, Any]) -> str:
    return format_for(out, words["key"] or "", has_alpha=words["is_clear"]).key


@click.command()
@click.argument("paths", type=FILE, nargs=-1, required=True, metavar="PROJECT... [OUT]")
@film_options
@click.option("--chunk", metavar="K/N", help="Make only the K-th of each N chunks, for `join`.")
@click.option("--each", type=click.Choice(["part", "shape"]), help="A film for each, named by it.")
@click.option("--on", "farm", default="", metavar="ADDRESS", help="Of a farm: tcp://HOST:PORT.")
@click.option("--queue", "is_queued", is_flag=True, help="Put it into the queue, and go on without waiting.")
@click.option("--overwrite", is_flag=True, help="Write over OUT if it is there.")
def render(paths: tuple[Path, ...], **words: Any) -> None:
    """Export PROJECT to OUT in any format: H.264 in MP4 where OUT ends in .mp4.

    Of several projects, or without OUT, each film lies beside its project, or in the folder OUT.
    """
    wanted = _projects_and_films(paths, words)
    failed: list[str] = []
    for project, out in wanted:
        try:
            _render_one(project, out, words)
        except EpiphaneError as error:
            if len(wanted) == 1:
                raise
            failed.append(project.name)
            click.echo(f"{project.name}: {error}", err=True)
    if failed:
        raise MediaError(f"{len(failed)} of {len(wanted)} films were not made: {', '.join(failed)}")


def _projects_and_films(paths: Sequence[Path], words: dict[str, Any]) -> list[tuple[Path, Path]]:
    """Return the projects that were named, each with its film."""
    if len(paths) == 2 and paths[1].suffix != SUFFIX and not paths[1].is_dir():
        return [(paths[0], paths[1])]
    folder = None if paths[-1].suffix == SUFFIX else paths[-1]
    projects = paths if folder is None else paths[:-1]
    if folder is not None and not folder.is_dir():
        raise ParameterError(f"{folder} is no folder, in which the films of several projects could lie")
    preset = words["preset"]
    usual = USUAL if preset is None else PresetBook.of_user().named(preset).settings.format
    endings = format_for(Path(), words["key"] or usual).endings
    ending = endings[0] if endings else ""
    return [(one, (folder or one.parent) / f"{one.stem}{ending}") for one in projects]


def _render_one(project: Path, out: Path, words: dict[str, Any]) -> None:
    """Write the film of a project, its chunks, or one for each part or shape."""
    opened = load_project(project)
    chunk, each, may_replace = words["chunk"], words["each"], words["overwrite"]
    if chunk is None and each is None:
        check_unwritten(out, may_replace)
    withheld = ask_about_folders(opened, project)
    wanted = FilmWords(opened, out, **words)
    say_what_is_missing(opened)
    if chunk is not None:
        with _progress() as report:
            share = parse_share(chunk)
            faults = export_chunks(
                wanted.project, out, share, settings=wanted.settings, frames=wanted.frames, report=report
            )
        _say(faults)
        return
    orders = [
        replace(order, reads=(project,), may_replace=may_replace, farm=words["farm"], withheld=withheld)
        for order in _orders(wanted, out, each)
    ]
    if words["is_queued"]:
        _queue(orders)
        return
    faults = []
    with _progress() as report:
        for order in orders:
            faults += export(
                order.project,
                order.path,
                settings=order.settings,
                frames=order.range,
                may_replace=may_replace,
                reads=order.reads,
                report=report,
                farm=order.farm,
            )
    _say(dict.fromkeys(faults))


def _queue(orders: Sequence[ExportOrder]) -> None:
    """Put exports into the queue, and have a process of its own make them."""
    queue = ExportQueue.of_user()
    for order in orders:
        film = film_of(order.project, order.path, order.settings, frames=order.range)
        files = [*named_files(order.project), *order.reads]
        check_target(order.path, files, may_replace=order.may_replace, form=film.form)
        queue.add(order)
        click.echo(f"{order.path} is in the queue.")
    start_process()


@click.command()
@click.argument("project", type=FILE)
@click.argument("out", type=FILE)
@film_options
@click.option("--overwrite", is_flag=True, help="Write over OUT if it is there.")
def join(project: Path, out: Path, overwrite: bool, **words: Any) -> None:
    """Join the chunks that `render --chunk` has made of PROJECT with the same options to the film OUT."""
    opened = load_project(project)
    check_unwritten(out, overwrite)
    wanted = FilmWords(opened, out, **words)
    _say(
        join_film(
            wanted.project,
            out,
            settings=wanted.settings,
            frames=wanted.frames,
            may_replace=overwrite,
            reads=[project],
        )
    )


@click.command()
@click.option("--run", "is_run", is_flag=True, help="Make the films that wait, here, until all are ready.")
def queue(is_run: bool) -> None:
    """List the queue of exports, which goes on when the window is closed."""
    exports = ExportQueue.of_user()
    if is_run:
        if not exports.work(tell=tell_desktop):
            click.echo("Another process makes the films already.", err=True)
        return
    for entry in exports.entries():
        share = f" {entry.share:.0%}" if entry.stage in (Stage.RUNNING, Stage.PAUSED) else ""
        click.echo(" ".join([f"{entry.stage.value}{share}", str(entry.path), *entry.words]))


@click.command()
@click.option("--workers", type=click.IntRange(1, 256), help="One for each core unless given.")
@click.option("--port", type=click.IntRange(0, 65535), default=8786, help="0 for any that is free.")
@click.option("--idle", type=click.IntRange(1), metavar="SECONDS", help="End when nothing was asked so long.")
def farm(workers: int | None, port: int, idle: int | None) -> None:
    """Start a farm on this machine alone, for `render --on`; it ends with Control-C."""
    with local_farm(workers, port=port, idle_seconds=idle) as running:
        click.echo(running.address)
        sys.stdout.flush()
        running.wait()


def _say(faults: Iterable[str]) -> None:
    for fault in faults:
        click.echo(fault, err=True)


@click.command("formats")
def formats() -> None:
    """List the formats that films, pictures and sound are written in."""
    for one in FORMATS.all():
        ending = ", ".join(one.endings) or "a folder"
        quality = (
            "" if one.quality is None else f" {one.quality.name} {one.quality.low:g}..{one.quality.high:g}."
        )
        alpha = " Can be clear." if one.has_alpha else ""
        bits = f", {'/'.join(str(bits) for bits in one.bits)} bits" if len(one.bits) > 1 else ""
        click.echo(f"{one.key:<16} {one.label} ({ending}){bits}.{quality}{alpha} {one.note}")


def say_what_is_missing(project: Project) -> None:
    """Tell of each file that is not there."""
    for path in missing_files(project):
        click.echo(f"{Path(path).name} is not there any more; a placeholder is shown.", err=True)


def parse_range(text: str, rate: Fraction) -> range:
    """Return the frames of ``2.5:10``, in seconds; ParameterError if it is no range."""
    first, separator, end = text.partition(":")
    try:
        start, stop = float(first or 0), float(end) if end else 1e7
    except ValueError:
        raise ParameterError(f"a range is A:B in seconds, such as 2.5:10, got {text!r}") from None
    if not separator or not 0 <= start < stop:
        raise ParameterError(f"a range is A:B in seconds with 0 <= A < B, got {text!r}")
    return range(frame_at(start, rate), frame_at(stop, rate))


def parse_quality(text: str) -> QualityWord | float:
    """Return the quality of a word or a number; ParameterError if it is neither."""
    try:
        return QualityWord(text.lower())
    except ValueError:
        pass
    try:
        return float(text)
    except ValueError:
        words = ", ".join(one.value for one in QualityWord)
        raise ParameterError(f"a quality is one of {words}, or a number, got {text!r}") from None


def parse_share(text: str) -> Share:
    """Return the share of ``2/5``; ParameterError if it is none."""
    part, separator, of = text.partition("/")
    if not (separator and part.isdigit() and of.isdigit() and 1 <= int(part) <= int(of) <= 10_000):
        raise ParameterError(f"a share of the chunks is K/N, such as 2/5, got {text!r}")
    return Share(int(part), int(of))


def _orders(words: FilmWords, out: Path, each: str | None) -> list[ExportOrder]:
    """Return the films to be made: one, or one for each part of the song or each shape of the frame."""
    project, settings = words.project, words.settings
    if each is None:
        return [ExportOrder(project, out, settings, words.bounds)]
    if each == "shape":
        if not project.shapes:
            raise MediaError(tr("the edit has one shape only; export it as it is."))
        return for_each_shape(ExportOrder(project, out, settings, words.bounds))
    parts = parts_of(project.song)
    if not parts:
        raise MediaError(tr("the song has no parts; export it as it is."))
    return [
        ExportOrder(
            project,
            out.with_name(f"{out.stem} {number} {part_words(part)}{out.suffix}"),
            settings,
            (frame_at(part.start, project.rate), frame_at(part.end, project.rate)),
        )
        for number, part in enumerate(parts, start=1)
    ]


@contextmanager
def _progress() -> Iterator[Report]:
    """Give a report that moves a bar on a terminal."""
    is_hidden = not sys.stderr.isatty()
    with click.progressbar(length=1, show_percent=True, width=30, file=sys.stderr, hidden=is_hidden) as bar:

        def report(progress: ExportProgress) -> None:
            bar.length = progress.n_frames
            bar.update(progress.n_done - bar.pos)

        yield report
