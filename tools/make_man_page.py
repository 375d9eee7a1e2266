"""Write the manual page from the commands themselves: ``python tools/make_man_page.py OUT``."""

import sys
from pathlib import Path

import click

from epiphane import __version__
from epiphane.cli import commands


def man_page() -> str:
    """Return the manual page of the command line, in roff."""
    parts = [
        f'.TH EPIPHANE 1 "" "epiphane {__version__}"',
        ".SH NAME",
        "epiphane \\- key visual effects to the beats of a song",
        ".SH SYNOPSIS",
        ".B epiphane\n[PROJECT]\n.br\n.B epiphane\nCOMMAND [ARGUMENT]...",
        ".SH DESCRIPTION",
        _escaped(commands.help or ""),
        ".SH COMMANDS",
    ]
    for name, command in sorted(commands.every().items()):
        if not command.hidden:
            parts += _told(name, command)
    return "\n".join(parts) + "\n"


def _told(name: str, command: click.Command) -> list[str]:
    context = click.Context(command, info_name=f"epiphane {name}")
    usage = " ".join(command.collect_usage_pieces(context))
    parts = [f".SS epiphane {name} {_escaped(usage)}", _escaped(command.help or "")]
    for parameter in command.params:
        record = parameter.get_help_record(context)
        if record is not None:
            parts += [".TP", f".B {_escaped(record[0])}", _escaped(record[1])]
    return parts


def _escaped(text: str) -> str:
    lines = (line.strip() for line in text.replace("\\", "\\\\").replace("-", "\\-").splitlines())
    return "\n".join(f"\\&{line}" if line.startswith((".", "'")) else line for line in lines if line)


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(man_page(), encoding="utf-8")
