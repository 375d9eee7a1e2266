"""What belongs to this machine and not to a project: the delay of taps, folders and projects used last."""

from pathlib import Path
from typing import Annotated

import msgspec
import platformdirs
from msgspec import Meta, Struct
from msgspec.structs import replace

from epiphane.disk import is_file, read_file, write_atomically
from epiphane.errors import DiskError

MOST_RECENT = 8
MOST_USED = 8
TEXT_SIZES = (1.0, 1.25, 1.5)
"""Sizes of text that are offered, of that which it is drawn with."""
_MOST_BYTES = 1 << 20
_Key = Annotated[str, Meta(max_length=100)]
_TextSize = Annotated[float, Meta(ge=1, le=2)]
_Path = Annotated[str, Meta(max_length=4096)]


class Settings(Struct, frozen=True):
    """What belongs to this machine.

    The delay of taps is in seconds. `recent` are the projects that were open last, the newest first. The
    `folders` are where files of a kind (song, footage, project, export, …) were chosen last. `favourites` are
    effects and transitions by their keys, `used` those that were laid last, the newest first.
    The `farm` is the address of the one that makes films, if any does. `text_size` is by how much the text of
    the window and what is around it is larger, 1 to 2, None where it is as the desktop says:
    `desktop_text_size`, as it was told last.
    """

    tap_delay: float = 0.0
    recent: tuple[_Path, ...] = ()
    folders: dict[str, _Path] = {}
    favourites: tuple[_Key, ...] = ()
    used: tuple[_Key, ...] = ()
    farm: _Path = ""
    text_size: _TextSize | None = None
    desktop_text_size: _TextSize = 1.0


def settings_file() -> Path:
    """Return the file of the settings."""
    return Path(platformdirs.user_config_dir("epiphane")) / "settings.json"


def read_settings() -> Settings:
    """Return the settings; the usual ones where there are none or they cannot be read."""
    try:
        return msgspec.json.decode(read_file(settings_file(), most_bytes=_MOST_BYTES), type=Settings)
    except (DiskError, msgspec.MsgspecError):
        return Settings()


def keep_settings(settings: Settings) -> bool:
    """Write the settings; False if they could not be."""
    try:
        settings_file().parent.mkdir(parents=True, exist_ok=True)
        write_atomically(settings_file(), msgspec.json.encode(settings))
    except (OSError, DiskError):
        return False
    return True


def note_recent(project: Path) -> None:
    """Keep a project as the one that was open last."""
    settings = read_settings()
    path = str(project.absolute())
    others = [one for one in settings.recent if one != path]
    keep_settings(replace(settings, recent=(path, *others)[:MOST_RECENT]))


def recent_projects() -> tuple[Path, ...]:
    """Return the projects that were open last and are still there, the newest first."""
    return tuple(Path(one) for one in read_settings().recent if is_file(one))


def forget_recent(project: Path) -> None:
    """Keep a project no longer among those that were open last."""
    settings = read_settings()
    keep_settings(replace(settings, recent=tuple(one for one in settings.recent if one != str(project))))


def note_folder(kind: str, folder: Path) -> None:
    """Keep a folder as the one in which files of a kind were chosen last."""
    settings = read_settings()
    if settings.folders.get(kind) != str(folder):
        keep_settings(replace(settings, folders={**settings.folders, kind: str(folder)}))


def folder_of(kind: str, usual: Path) -> Path:
    """Return the folder in which files of a kind were chosen last, or the usual one."""
    kept = read_settings().folders.get(kind, "")
    return Path(kept) if kept and Path(kept).is_dir() else usual


def text_size() -> float:
    """Return by how much the window is to be larger: 1 is as it was drawn."""
    settings = read_settings()
    return settings.desktop_text_size if settings.text_size is None else settings.text_size


def keep_text_size(size: float) -> bool:
    """Have the window be larger from its next start, by 1 to 2; False if that could not be kept."""
    return keep_settings(replace(read_settings(), text_size=size))


def note_desktop_text_size(size: float) -> None:
    """Keep by how much the desktop has text be larger; what is out of 1 to 2 is brought there."""
    settings, size = read_settings(), round(min(max(size, 1.0), 2.0), 3)
    if settings.desktop_text_size != size:
        keep_settings(replace(settings, desktop_text_size=size))


def keep_farm(address: str) -> None:
    """Keep the address of the farm that makes films; nothing for none."""
    settings = read_settings()
    if settings.farm != address:
        keep_settings(replace(settings, farm=address))
