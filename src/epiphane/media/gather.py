"""Importing files and folders: what can be used, and why the rest cannot."""

import time
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from epiphane.disk import is_file
from epiphane.document.footage import FootageKind
from epiphane.errors import MediaError
from epiphane.media.fingerprint import fingerprint
from epiphane.media.probe import FootageFacts, probe_footage
from epiphane.types import Progress, ignore_progress
from epiphane.wording import tr

# A file that was written to so lately may still be; then this long is waited to see, once for all of them.
_LATELY_SECONDS, _LOOK_AGAIN_SECONDS = 2.0, 0.4


class Gathered(Struct, frozen=True):
    """What was found among files: the usable ones in order, and a sentence for each of the others."""

    found: tuple[FootageFacts, ...] = ()
    faults: tuple[str, ...] = ()

    def of_kind(self, *kinds: FootageKind) -> tuple[FootageFacts, ...]:
        """Return what was found of some kinds."""
        return tuple(facts for facts in self.found if facts.kind in kinds)


def gather_files(paths: Sequence[Path], *, progress: Progress = ignore_progress) -> Gathered:
    """Find out what files are; folders are opened, and what is hidden in them is left alone.

    A file whose content was found before, under whatever name, is a fault: it comes once.
    """
    files = _opened_folders(paths)
    growing = _growing(files)
    found: list[FootageFacts] = []
    faults: list[str] = []
    first_names: dict[str, str] = {}
    for number, path in enumerate(files):
        progress(number / len(files))
        try:
            if path in growing:
                raise MediaError(
                    tr("{name} is still being written; gather it again when it is complete.", name=path.name)
                )
            facts = probe_footage(path)
        except MediaError as error:
            faults.append(str(error))
            continue
        except OSError as error:
            faults.append(f"{path.name} cannot be read: {error.strerror}.")
            continue
        if facts.fingerprint in first_names:
            faults.append(f"{path.name} is the same as {first_names[facts.fingerprint]} and comes once.")
            continue
        first_names[facts.fingerprint] = path.name
        found.append(facts)
    return Gathered(tuple(found), tuple(faults))


def find_again(wanted: Sequence[tuple[str, str]], folder: Path, *, progress: Progress) -> dict[str, Path]:
    """Look for missing files in a folder and below.

    Parameters
    ----------
    wanted : pairs of path and fingerprint
    folder : Path

    Returns
    -------
    Where each path that was found is now. A file of the same content is taken whatever its name; else one
    of the same name, which is another version of it.
    """
    files = _opened_folders([folder])
    by_name = {path.name: path for path in reversed(files)}
    named = [by_name[Path(path).name] for path, _ in wanted if Path(path).name in by_name]
    content: dict[str, Path] = {}
    open_prints = {print_ for _, print_ in wanted}
    # Those of the right name first: mostly nothing else has to be read.
    for number, path in enumerate(dict.fromkeys([*named, *files])):
        progress(number / max(len(files), 1))
        if not open_prints:
            break
        try:
            found = fingerprint(path)
        except MediaError:
            continue
        content.setdefault(found, path)
        open_prints.discard(found)
    places = {path: content.get(print_, by_name.get(Path(path).name)) for path, print_ in wanted}
    return {path: place for path, place in places.items() if place is not None}


def _opened_folders(paths: Sequence[Path]) -> list[Path]:
    files: list[Path] = []
    for path in paths:
        files += sorted(p for p in path.rglob("*") if _is_plain(p, path)) if path.is_dir() else [path]
    return list(dict.fromkeys(files))


def _is_plain(path: Path, folder: Path) -> bool:
    return is_file(path) and not any(part.startswith(".") for part in path.relative_to(folder).parts)


def _growing(files: Sequence[Path]) -> set[Path]:
    sizes: dict[Path, int] = {}
    for path in files:
        try:
            facts = path.stat()
        except OSError:
            continue
        if abs(time.time() - facts.st_mtime) < _LATELY_SECONDS:
            sizes[path] = facts.st_size
    if not sizes:
        return set()
    time.sleep(_LOOK_AGAIN_SECONDS)
    return {path for path, size in sizes.items() if path.exists() and path.stat().st_size != size}
