"""Commands about this machine: the entry of the desktop, completion in a shell, a report."""

from pathlib import Path

import click
from click.shell_completion import get_completion_class

from epiphane.cli_files import FILE
from epiphane.errors import ParameterError
from epiphane.files.desktop_entry import remove_entry, write_entry
from epiphane.log import write_report


@click.command("desktop-entry")
@click.option("--remove", "is_removed", is_flag=True, help="Take it away again.")
def desktop_entry(is_removed: bool) -> None:
    """Put Epiphane into the menus of this user's desktop, and have it open its projects."""
    for path in remove_entry() if is_removed else write_entry():
        click.echo(str(path))


@click.command("completion")
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
@click.pass_context
def completion(context: click.Context, shell: str) -> None:
    """Print what completes these commands in a shell, such as for: eval "$(epiphane completion bash)"."""
    made = get_completion_class(shell)
    assert made is not None
    click.echo(made(context.find_root().command, {}, "epiphane", "_EPIPHANE_COMPLETE").source())


@click.command("report")
@click.argument("out", type=FILE, default=Path("epiphane-report.zip"))
def report(out: Path) -> None:
    """Pack the log and versions into OUT, to report a problem with; nothing private is in it."""
    if out.exists():
        raise ParameterError(f"{out.name} is there already; choose another name")
    write_report(out, {})
    click.echo(str(out))
