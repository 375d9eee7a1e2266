"""The command line; its words are kept stable."""

import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import Any

import click
from msgspec.structs import replace

from epiphane import __version__
from epiphane.audio.cache import hear_song
from epiphane.audio.in_project import with_heard_bands
from epiphane.cli_files import FILE, allow_folders, check_result, check_unwritten, write_json
from epiphane.cli_json import listening_as_json, plan_as_json
from epiphane.cli_words import (
    OverlayWords,
    TitleWords,
    drop_remarks,
    lane_words,
    logo_words,
    look_words,
    overlay_words,
    parse_size,
    part_words,
    recipe_words,
    title_words,
    with_logo,
    with_look,
    with_overlay,
    with_title,
)
from epiphane.collecting import collection_paused
from epiphane.disk import write_atomically
from epiphane.document.filling import Order
from epiphane.document.footage import FootageKind
from epiphane.document.project import Project, new_project
from epiphane.document.pulse import PulseUnit
from epiphane.document.recipe import Recipe
from epiphane.document.timeline import Between
from epiphane.edits.footage import add_footage, learn_of_footage
from epiphane.edits.keying.dressing import dress
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.recipes import use_recipe
from epiphane.edits.picture import choose_shape
from epiphane.edits.rough_cut import LONGEST, SHORTEST, take_stretch
from epiphane.edits.shots.filling import default_filling, fill_song
from epiphane.edits.shots.speed import change_speed, set_between
from epiphane.edits.song.form import say_form
from epiphane.edits.song.regrid import song_of
from epiphane.edits.song.song import set_song
from epiphane.errors import EpiphaneError, MediaError, ParameterError
from epiphane.facts.hits import stand_in_remark
from epiphane.facts.stretches import best_stretches
from epiphane.files.project import SUFFIX, load_project, named_files, save_project
from epiphane.files.recipes import RecipeBook, recipe_folder
from epiphane.files.running_window import give_to_running
from epiphane.files.trust import TrustedFolders, data_folder, folders_of
from epiphane.heap import tune_heap
from epiphane.interchange.declare import reader_for, writer_for
from epiphane.keying.dressing_styles import transition_styles
from epiphane.lane_kinds import LaneKind, is_transition
from epiphane.log import logger, start_log, told
from epiphane.media.gather import gather_files
from epiphane.media.probe import FootageFacts
from epiphane.media.search import search_clip

_ELSEWHERE = {
    "render": "cli_export",
    "join": "cli_export",
    "formats": "cli_export",
    "queue": "cli_export",
    "farm": "cli_export",
    "desktop-entry": "cli_desktop",
    "completion": "cli_desktop",
    "report": "cli_desktop",
}
"""Commands by the modules that hold them, which are loaded when one is asked for: the window needs none."""


class _Commands(click.Group):
    """Commands, or else the project to open: ``epiphane [PROJECT]``."""

    def every(self) -> dict[str, click.Command]:
        """Return all commands by their names."""
        context = click.Context(self)
        found = {name: self.get_command(context, name) for name in self.list_commands(context)}
        return {name: command for name, command in found.items() if command is not None}

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted([*super().list_commands(ctx), *_ELSEWHERE])

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _ELSEWHERE:
            return super().get_command(ctx, cmd_name)
        module = import_module(f"epiphane.{_ELSEWHERE[cmd_name]}")
        command: click.Command = getattr(module, cmd_name.replace("-", "_"))
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if (
            args
            and args[0] not in self.list_commands(ctx)
            and (args[0].endswith(SUFFIX) or Path(args[0]).exists())
        ):
            args = ["open", *args]
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(__version__)
@click.pass_context
def commands(ctx: click.Context) -> None:
    """Key visual effects to the beats of a song.

    Without a command the window opens; with the name of a project, that project in it.
    """
    if ctx.invoked_subcommand is None:
        _open_window()


@commands.command("open", hidden=True)
@click.argument("project", type=FILE)
@click.option("--new-window", is_flag=True, help="Open it in a window of its own.")
def open_project(project: Path, new_window: bool) -> None:
    """Open a project in the window that runs, or in a new one."""
    if new_window or not give_to_running(project):
        _open_window(project)


@commands.command()
@click.option("--titles", is_flag=True, help="The second one: a title sequence.")
def demo(titles: bool) -> None:
    """Open the window with the demo."""
    _open_window(demo="titles" if titles else "cut")


@commands.command("listen")
@click.argument("song", type=FILE)
@click.option("--json", "out", type=FILE, help="Write the result to this file instead of printing it.")
@click.option("--overwrite", is_flag=True, help="Write over that file if it is there.")
def listen_to(song: Path, out: Path | None, overwrite: bool) -> None:
    """Print the beats of SONG as JSON; times are in seconds from the file's first sample."""
    check_result(out, [song], overwrite=overwrite)
    heard = hear_song(song)
    if heard.listening.remark:
        click.echo(heard.listening.remark, err=True)
    write_json(listening_as_json(heard.listening), out, reads=[song], overwrite=overwrite)


@commands.command()
@click.argument("song", type=FILE)
@click.argument("footage", type=FILE, nargs=-1)
@click.option("-o", "--output", "out", type=FILE, required=True, help="The project to write.")
@click.option(
    "--lane", "lanes", multiple=True, metavar="EFFECT:PULSE", help="Such as flash:beats, whip:cuts/2."
)
@click.option(
    "--overlay",
    "overlays",
    multiple=True,
    metavar="FILE:PULSE[:BLEND]",
    help="Footage that hits play over the picture, such as ink.mp4:bars:screen.",
)
@click.option(
    "--title",
    "titles",
    multiple=True,
    metavar="TEXT[@HIT]",
    help="Text that lands on the first, drop or last hit, or at seconds: ROLL@drop.",
)
@click.option(
    "--logo",
    "logos",
    multiple=True,
    metavar="FILE[@HIT]",
    help="A still or drawing that lands on the first, drop or last hit, or at seconds.",
)
@click.option(
    "--look",
    "looks",
    multiple=True,
    metavar="FILE[:PERCENT]",
    help="A table of colours or a colour decision list, on over the film; in full unless said.",
)
@click.option(
    "--recipe", "recipes", multiple=True, metavar="NAME[:PULSE]", help="Such as Hammer, or a recipe's file."
)
@click.option(
    "--part",
    "parts",
    multiple=True,
    metavar="A:B=KIND",
    help="From A to B seconds the song is calm, a build, full or a break: 12:24.5=build.",
)
@click.option("--drop", "drops", type=float, multiple=True, metavar="SECONDS", help="Where the song drops.")
@click.option(
    "--dress", "is_dressed", is_flag=True, help="Lay lanes and transitions by the parts of the song."
)
@click.option(
    "--length",
    type=click.FloatRange(SHORTEST, LONGEST),
    metavar="SECONDS",
    help="Of the film: the best stretch of the song that lasts about so long, on bars.",
)
@click.option("--every", type=click.IntRange(1, 128), help="A cut every so many beats; a bar unless given.")
@click.option("--by-section", is_flag=True, help="Slower cuts in calm sections, faster in full ones.")
@click.option("--order", type=click.Choice([order.value for order in Order]), default="gathered")
@click.option("--seed", type=click.IntRange(0, 999_999), default=1, help="Of the shuffled order.")
@click.option("--moments", is_flag=True, help="Look for the moments of clips, and land them on hits.")
@click.option(
    "--shape", metavar="WxH", help="Width and height in pixels; those of most of the footage unless given."
)
@click.option("--speed", type=float, metavar="N", help="Of every clip, in percent; below 0 backwards.")
@click.option(
    "--between",
    type=click.Choice([one.value for one in Between]),
    help="What is shown between the pictures of clips that are slowed.",
)
@click.option(
    "--import",
    "imports",
    type=FILE,
    multiple=True,
    help="Shots, beats, hits or texts: .otio, .mid, .csv, .srt.",
)
@click.option("--overwrite", is_flag=True, help="Write over the project if it is there.")
def new(
    song: Path,
    footage: tuple[Path, ...],
    out: Path,
    lanes: tuple[str, ...],
    overlays: tuple[str, ...],
    titles: tuple[str, ...],
    logos: tuple[str, ...],
    looks: tuple[str, ...],
    recipes: tuple[str, ...],
    parts: tuple[str, ...],
    drops: tuple[float, ...],
    is_dressed: bool,
    length: float | None,
    every: int | None,
    by_section: bool,
    order: str,
    seed: int,
    moments: bool,
    shape: str | None,
    speed: float | None,
    between: str | None,
    imports: tuple[Path, ...],
    overwrite: bool,
) -> None:
    """Make a project of SONG and FOOTAGE (files or folders), cut to its beats, with a lane for each --lane.

    The lanes of each --recipe come below them, fired by its own pulses or the first of them by a PULSE.

    A PULSE is beats, bars, cuts, kick, snare, hat, or the low, mid or high hits that every song has; with /N
    every Nth of them (beats/2, cuts/4). An EFFECT may also be a transition, which shows at cuts.
    """
    if out.suffix != SUFFIX:
        raise ParameterError(f"a project's name ends in {SUFFIX}, got {out.name}")
    check_unwritten(out, overwrite)
    size = parse_size(shape) if shape else None
    wanted = [lane_words(words) for words in lanes]
    over = [overlay_words(words) for words in overlays]
    texts = [title_words(words) for words in titles]
    drawings = [logo_words(words) for words in logos]
    stacks = [recipe_words(words) for words in recipes]
    graded = [look_words(words) for words in looks]
    said = [part_words(words) for words in parts]
    heard = hear_song(song)
    if heard.listening.remark:
        click.echo(heard.listening.remark, err=True)
    project = set_song(new_project(out.stem), heard.as_song())
    project = say_form(project, said, drops) if said or drops else project
    if length is not None:
        project = take_stretch(project, best_stretches(song_of(project), length)[0])
    project = add_footage(project, _gathered(footage))
    for one in project.footage if moments else ():
        if one.kind is FootageKind.VIDEO:
            project = learn_of_footage(project, one.fingerprint, search_clip(Path(one.path)))
    if size is not None:
        project = choose_shape(project, width=size[0], height=size[1], rate=project.rate)
    filling = default_filling(project)
    pace = replace(filling.pace, every=every or filling.pace.every, is_by_section=by_section)
    project = replace(project, filling=replace(filling, pace=pace, order=Order(order), seed=seed))
    project = fill_song(project) if project.footage else project
    project = _with_time(project, speed, between)
    named = folders_of(project)
    for path in imports:
        project = _with_import(project, path)
    only_imported = set(folders_of(project)) - set(named)
    project = _keyed(project, wanted, over, texts, drawings, stacks)
    for look in graded:
        project = with_look(project, look)
    if is_dressed:
        kept, _ = RecipeBook(recipe_folder()).read()
        recipes_by_name = {one.recipe.name: one.recipe for one in reversed(kept)}
        project = dress(project, project.dressing, recipes_by_name, transition_styles(), is_transition)
    project = with_heard_bands(project, heard.listening.levels, heard.listening.levels)
    if stand_in_remark(project):
        click.echo(stand_in_remark(project), err=True)
    save_project(project, out)
    TrustedFolders(data_folder()).add(set(folders_of(project)) - only_imported)  # what the user named


@commands.command()
@click.argument("project", type=FILE)
@click.option("--json", "out", type=FILE, help="Write the result to this file instead of printing it.")
@click.option("--overwrite", is_flag=True, help="Write over that file if it is there.")
def plan(project: Path, out: Path | None, overwrite: bool) -> None:
    """Write every lane's cues and every cut's frame as JSON."""
    opened = load_project(project)
    write_json(plan_as_json(opened), out, reads=[project, *named_files(opened)], overwrite=overwrite)


@commands.command("export")
@click.argument("project", type=FILE)
@click.argument("out", type=FILE)
@click.option("--format", "key", default="", metavar="NAME", help="Such as values-csv; else by OUT's ending.")
@click.option("--overwrite", is_flag=True, help="Write over OUT if it is there.")
def export_to(project: Path, out: Path, key: str, overwrite: bool) -> None:
    """Write PROJECT to OUT for other programs: .otio, .mid, .csv, .srt, .vtt, .cube, .cdl or .json."""
    opened = load_project(project)
    check_result(out, [project, *named_files(opened)], overwrite=overwrite)
    form = writer_for(out, key)
    assert form.write is not None
    write_atomically(out, form.write(opened))


def main() -> None:
    """Run the command line: a fault is one sentence on standard error and exit code 1."""
    start_log()
    tune_heap()
    try:
        code = commands.main(standalone_mode=False)
    except click.ClickException as error:
        error.show()
        sys.exit(2)
    except (click.Abort, KeyboardInterrupt):
        click.echo("Stopped.", err=True)
        sys.exit(1)
    except ParameterError as error:
        click.echo(f"epiphane: {error}", err=True)
        sys.exit(2)
    except EpiphaneError as error:
        click.echo(f"epiphane: {error}", err=True)
        sys.exit(1)
    except OSError as error:
        click.echo(f"epiphane: {error.filename}: {error.strerror}", err=True)
        sys.exit(1)
    except Exception as error:
        logger.error("ended by %s", told(error))
        raise
    sys.exit(code if isinstance(code, int) else 0)


def _with_import(project: Project, path: Path) -> Project:
    """Return `project` with what a file of another program says; what cannot be used is told."""
    form = reader_for(path)
    assert form.read is not None
    allow_folders(form.files(path), path)
    found = form.read(path)
    for remark in found.remarks:
        click.echo(remark, err=True)
    return found.apply(project)


def _with_time(project: Project, speed: float | None, between: str | None) -> Project:
    """Return `project` with its clips at a speed, in percent, and what is shown between their pictures."""
    clips = {one.id for one in project.footage if one.kind is FootageKind.VIDEO}
    shots = [shot.id for shot in project.shots if shot.footage in clips]
    for shot in shots if speed is not None else ():
        project = change_speed(project, shot, (speed or 0.0) / 100)
    return project if between is None else set_between(project, shots, between=Between(between))


def _keyed(
    project: Project,
    wanted: Sequence[tuple[LaneKind, PulseUnit, int]],
    over: Sequence[OverlayWords],
    texts: Sequence[TitleWords],
    drawings: Sequence[TitleWords],
    stacks: Sequence[tuple[Recipe, tuple[PulseUnit, int] | None]],
) -> Project:
    """Return `project` with lanes, overlays, titles, logos and recipes that were asked for, in this order."""
    for kind, unit, nth in wanted:
        project, pulse = ensure_pulse(project, unit, every=nth)
        project = add_lane(project, kind.key, pulse, envelope=kind.envelope)
    for overlay in over:
        project = with_overlay(project, overlay)
    for remark in drop_remarks(project, [*texts, *drawings]):
        click.echo(remark, err=True)
    for text in texts:
        project = with_title(project, text)
    for drawing in drawings:
        project = with_logo(project, drawing)
    for recipe, on in stacks:
        given = None
        if on is not None:
            project, given = ensure_pulse(project, on[0], every=on[1])
        project = use_recipe(project, recipe, given)
    return project


def _open_window(path: Path | None = None, *, demo: str | None = None) -> None:
    with collection_paused():
        try:
            import PyQt6  # noqa: F401
        except ImportError:
            raise ParameterError(
                'the window needs PyQt6: install it with  pip install "epiphane[window]"'
            ) from None
        from epiphane.desk.shell.app import run

    sys.exit(run(path, demo=demo))


def _gathered(paths: tuple[Path, ...]) -> tuple[FootageFacts, ...]:
    """Return what has a picture; what cannot be used is told.

    Raises
    ------
    MediaError
        If nothing can be used.
    """
    gathered = gather_files(paths)
    sounds = [Path(one.path).name for one in gathered.of_kind(FootageKind.SOUND)]
    faults = list(gathered.faults)
    faults += [f"{name} has no picture in it; it can be a song, but not footage." for name in sounds]
    found = gathered.of_kind(FootageKind.VIDEO, FootageKind.STILL)
    if paths and not found:
        raise MediaError(" ".join(faults[:3]) or "there is nothing in that folder that can be footage.")
    for fault in faults:
        click.echo(fault, err=True)
    return found
