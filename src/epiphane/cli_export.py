"""Commands that write films: render, its chunks, join, and the list of formats."""

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any

import click
from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.document.timeline import Shape
from epiphane.edits.frame_shapes import in_shape
from epiphane.edits.picture import set_rate
from epiphane.errors import MediaError, ParameterError
from epiphane.facts.form import part_words, parts_of
from epiphane.files.export_presets import PresetBook
from epiphane.files.project import missing_files
from epiphane.formats.declare import FORMATS, QualityWord, format_for
from epiphane.formats.settings import ExportSettings
from epiphane.render.export import ExportProgress, Report, Share, export, export_chunks, join_film
from epiphane.timing import frame_at, parse_rate
from epiphane.types import Size
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


def render_film(
    words: FilmWords,
    out: Path,
    *,
    chunk: str | None,
    each: str | None,
    may_replace: bool,
    reads: Sequence[Path],
) -> list[str]:
    """Write the film that was asked for, or its chunks, or one for each part or shape; return the faults."""
    with _progress() as report:
        if chunk is not None:
            share = parse_share(chunk)
            return export_chunks(
                words.project, out, share, settings=words.settings, frames=words.frames, report=report
            )
        faults: list[str] = []
        for project, path, settings, frames in _films(words, out, each):
            faults += export(
                project,
                path,
                settings=settings,
                frames=frames,
                may_replace=may_replace,
                reads=reads,
                report=report,
            )
        return list(dict.fromkeys(faults))


def join_chunks_of(words: FilmWords, out: Path, *, may_replace: bool, reads: Sequence[Path]) -> list[str]:
    """Join the chunks of a film that were made with the same words; return the faults."""
    return join_film(
        words.project,
        out,
        settings=words.settings,
        frames=words.frames,
        may_replace=may_replace,
        reads=reads,
    )


def say_what_is_missing(project: Project) -> None:
    """Tell of each file that is not there."""
    for path in missing_files(project):
        click.echo(f"{Path(path).name} is not there any more; a placeholder is shown.", err=True)


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


def parse_size(text: str) -> Size:
    """Return width and height of ``1920x1080``; ParameterError if it is none."""
    width, separator, height = text.lower().partition("x")
    if not separator or not width.isdigit() or not height.isdigit():
        raise ParameterError(f"a size is written as 1920x1080, got {text!r}")
    size = int(width), int(height)
    if size[0] % 2 or size[1] % 2 or not all(2 <= side <= 8192 for side in size):
        raise ParameterError(f"width and height must be even and 2..8192 pixels, got {text}")
    return size


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


def _films(
    words: FilmWords, out: Path, each: str | None
) -> list[tuple[Project, Path, ExportSettings, range | None]]:
    """Return the films to be made: one, or one for each part of the song or each shape of the frame."""
    project, settings = words.project, words.settings
    if each is None:
        return [(project, out, settings, words.frames)]
    if each == "shape":
        if not project.shapes:
            raise MediaError(tr("the edit has one shape only; export it as it is."))
        return [
            (
                in_shape(project, shape),
                out.with_name(f"{out.stem} {shape.width}x{shape.height}{out.suffix}"),
                replace(settings, size=None),
                words.frames,
            )
            for shape in project.shapes
        ]
    parts = parts_of(project.song)
    if not parts:
        raise MediaError(tr("the song has no parts; export it as it is."))
    return [
        (
            project,
            out.with_name(f"{out.stem} {number} {part_words(part)}{out.suffix}"),
            settings,
            range(frame_at(part.start, project.rate), frame_at(part.end, project.rate)),
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
