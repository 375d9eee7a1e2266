"""What the command line does about files: results are written, nothing is replaced unasked."""

import json
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import click

from epiphane.disk import withhold, write_atomically
from epiphane.document.project import Project
from epiphane.errors import DiskError
from epiphane.files.project import named_files
from epiphane.files.trust import TrustedFolders, data_folder

FILE = click.Path(path_type=Path)


def write_json(value: dict[str, Any], out: Path | None, *, reads: Sequence[Path], overwrite: bool) -> None:
    """Write a result as JSON to `out`, or print it."""
    text = json.dumps(value, indent=1)
    if out is None:
        click.echo(text)
        return
    check_result(out, reads, overwrite=overwrite)
    write_atomically(out, text.encode() + b"\n")


def check_result(out: Path | None, reads: Sequence[Path], *, overwrite: bool) -> None:
    """Check that a result may be written; DiskError if it is one of what is read, or there unasked."""
    if out is None or not out.exists():
        return
    if any(one.exists() and out.samefile(one) for one in reads):
        raise DiskError(f"{out.name} is what is read; choose another file for the result.")
    check_unwritten(out, overwrite)


def check_unwritten(out: Path, overwrite: bool) -> None:
    """Check that a file is not there, or may be written over; else DiskError."""
    if out.exists() and not overwrite:
        raise DiskError(f"{out.name} is there already; choose another name, or give --overwrite.")


def ask_about_folders(project: Project, path: Path) -> tuple[Path, ...]:
    """Ask on a terminal whether a project may read outside its folder; elsewhere say that it does.

    Returns
    -------
    The folders in which nothing may be read: from now on nothing is.
    """
    return allow_folders(named_files(project), path)


def allow_folders(files: Iterable[Path], path: Path) -> tuple[Path, ...]:
    """Ask as `ask_about_folders` does, of files that the one at `path` names."""
    trusted = TrustedFolders(data_folder())
    withheld: list[Path] = []
    for folder in trusted.strange_among(files, path.absolute().parent):
        if not sys.stdin.isatty():
            click.echo(f"{path.name} reads files in {folder}.", err=True)
        elif click.confirm(f"{path.name} reads files in {folder}. May it?", default=True, err=True):
            trusted.add([folder])
        else:
            withheld.append(folder)
    withhold(withheld)
    return tuple(withheld)
