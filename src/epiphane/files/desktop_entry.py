"""The entry of Epiphane in the menus of this user's desktop, written and removed."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

from epiphane.assets import DESKTOP, ICONS
from epiphane.disk import write_atomically
from epiphane.errors import DiskError
from epiphane.wording import tr

_REFRESHERS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def data_home() -> Path:
    """Return the folder of this user's data, by the XDG base directories."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def entry_files(home: Path) -> dict[Path, bytes]:
    """Return every file of the entry and what is in it: menu entry, file type, icon, description."""
    entry = (DESKTOP / "epiphane.desktop").read_text(encoding="utf-8")
    entry = entry.replace("Exec=epiphane %f", f"Exec={_command()} %f")
    return {
        home / "applications" / "epiphane.desktop": entry.encode(),
        home / "mime" / "packages" / "epiphane.xml": (DESKTOP / "epiphane-mime.xml").read_bytes(),
        home / "icons" / "hicolor" / "scalable" / "apps" / "epiphane.svg": (
            ICONS / "epiphane.svg"
        ).read_bytes(),
        home / "metainfo" / "epiphane.metainfo.xml": (DESKTOP / "epiphane.metainfo.xml").read_bytes(),
    }


def write_entry(home: Path | None = None) -> list[Path]:
    """Write the entry into a user's data folder, and return its files.

    Raises
    ------
    DiskError
        If one cannot be written.
    """
    home = home or data_home()
    files = entry_files(home)
    for path, content in files.items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise DiskError(
                tr("{path} cannot be made: {reason}.", path=path.parent, reason=error.strerror)
            ) from None
        write_atomically(path, content)
    _refresh(home)
    return list(files)


def remove_entry(home: Path | None = None) -> list[Path]:
    """Remove the files of the entry that are there, and return them."""
    home = home or data_home()
    there = [path for path in entry_files(home) if path.exists()]
    for path in there:
        path.unlink(missing_ok=True)
    _refresh(home)
    return there


def _command() -> str:
    """Return what starts Epiphane, quoted as the standard of desktop entries asks for."""
    found = shutil.which("epiphane") or str(Path(sys.executable).with_name("epiphane"))
    escaped = "".join(f"\\{letter}" if letter in '"`$\\' else letter for letter in found)
    return f'"{escaped}"'.replace("%", "%%")


def _refresh(home: Path) -> None:
    """Have the desktop notice, where it has the programs for that."""
    for program, folder in _REFRESHERS:
        if shutil.which(program) and (home / folder).is_dir():
            subprocess.run([program, str(home / folder)], check=False, capture_output=True)
