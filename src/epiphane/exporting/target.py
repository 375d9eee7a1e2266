"""Where an export may be written: never onto what is read, nothing replaced unasked."""

from collections.abc import Collection, Sequence
from pathlib import Path

from epiphane.disk import short_name, why_unwritable
from epiphane.errors import MediaError
from epiphane.formats.declare import Format
from epiphane.formats.settings import ExportSettings
from epiphane.wording import tr


def check_target(path: Path, reads: Sequence[Path], *, may_replace: bool, form: Format | None = None) -> None:
    """Check that a film may be written to a file, or a sequence to a folder.

    Parameters
    ----------
    form : Format
        The one of usual settings unless given.

    Raises
    ------
    MediaError
        If its ending is not that of the format that is written, it is one of the files that are read,
        under whatever name, no regular file, read-only, or there already and not to be replaced.
    """
    form = form or ExportSettings().of_format()
    if form.endings:
        _check_ending(path, form)
    elif path.is_dir():
        _check_folder(path, form, may_replace=may_replace)
        return
    if reason := why_unwritable(path):
        raise MediaError(f"{short_name(path)} {reason}.")
    if any(_is_same_file(path, one) for one in reads):
        raise MediaError(
            tr(
                "{name} is read by the project itself; choose another name for the film.",
                name=short_name(path),
            )
        )
    if path.exists() and (not may_replace or not form.endings):
        raise MediaError(
            tr(
                "{name} is there already; choose another name for the film, or replace it.",
                name=short_name(path),
            )
        )


def _check_ending(path: Path, form: Format) -> None:
    if path.suffix.lower() in form.endings:
        return
    ending = f"not {path.suffix}" if path.suffix else "so the name needs that ending"
    raise MediaError(
        tr(
            "{label} is written as {suffix}, {ending}: name it {name}.",
            label=form.label,
            suffix=form.endings[0],
            ending=ending,
            name=short_name(path.with_suffix(form.endings[0])),
        )
    )


def _check_folder(path: Path, form: Format, *, may_replace: bool) -> None:
    """Check that a folder is empty, or that it has nothing but an earlier sequence that may be replaced."""
    suffix = f".{form.key.split('-')[0]}"
    others = [one for one in path.iterdir() if not (one.name.startswith(path.name) and one.suffix == suffix)]
    if path.is_symlink() or others or (not may_replace and any(path.iterdir())):
        raise MediaError(
            tr("{name} is a folder with something in it; choose another name.", name=short_name(path))
        )


def unused_name(path: Path, taken: Collection[Path] = ()) -> Path:
    """Return a path with no file in its place, and none of `taken`: the same, or with a number behind it."""
    names = (path.with_name(f"{path.stem} {number}{path.suffix}") for number in range(2, 10_000))
    return next((one for one in (path, *names) if not one.exists() and one.absolute() not in taken), path)


def _is_same_file(path: Path, other: Path) -> bool:
    try:
        return path.samefile(other)
    except (OSError, ValueError):
        return False
