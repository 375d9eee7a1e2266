"""The folders that projects may read files from: those in which the user has chosen files."""

from collections.abc import Iterable
from pathlib import Path

import msgspec
import platformdirs

from epiphane.assets import OVERLAYS
from epiphane.disk import private_folder, read_file, write_atomically
from epiphane.document.project import Project
from epiphane.errors import DiskError
from epiphane.files.project import named_files

_MOST_BYTES = 4 << 20
_NAME = "trusted-folders.json"


def data_folder() -> Path:
    """Return the folder of this user's own data: unsaved work, recipes, trusted folders."""
    return Path(platformdirs.user_data_dir("epiphane"))


class TrustedFolders:
    """A list of folders in a file of this user's; without the file it is empty."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / _NAME

    def read(self) -> frozenset[Path]:
        """Return the folders."""
        try:
            names = msgspec.json.decode(read_file(self._file, most_bytes=_MOST_BYTES), type=list[str])
        except (DiskError, msgspec.MsgspecError, UnicodeDecodeError):
            return frozenset()
        return frozenset(Path(name) for name in names)

    def add(self, folders: Iterable[Path]) -> None:
        """Trust more folders; a disk that cannot be written to means to be asked again."""
        known = self.read()
        if wanted := set(folders) - known:
            names = sorted(str(folder) for folder in known | wanted)
            try:
                private_folder(self._file.parent)
                write_atomically(self._file, msgspec.json.encode(names))
            except (DiskError, UnicodeEncodeError):
                return

    def strange_to(self, project: Project, folder: Path) -> list[Path]:
        """Return the folders that a project of a folder reads from though nobody has said that it may.

        What lies in or below the project's own folder is its own.
        """
        return self.strange_among(named_files(project), folder)

    def strange_among(self, files: Iterable[Path], folder: Path) -> list[Path]:
        """Return the folders of some files, which a file of `folder` names, that nobody has said may be read.

        What lies in or below `folder` is its own.
        """
        own, trusted = folder.resolve(), self.read() | {OVERLAYS.resolve()}
        return [
            place
            for place in _folders(files)
            if place not in trusted and own != place and own not in place.parents
        ]


def folders_of(project: Project) -> list[Path]:
    """Return the folders that a project's files really lie in, links followed."""
    return _folders(named_files(project))


def _folders(files: Iterable[Path]) -> list[Path]:
    return list(dict.fromkeys(path.resolve().parent for path in files))
