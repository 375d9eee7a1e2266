"""What a file can be used as."""

from enum import Enum
from pathlib import Path

import av

from epiphane.errors import MediaError


class MediaKind(Enum):
    """What a file can be used as."""

    FOOTAGE = "footage"
    SONG = "song"


def kind_of(path: Path) -> MediaKind:
    """Return what a file can be used as: with a moving picture it is footage, else a song.

    Raises
    ------
    MediaError
        If it is missing, empty, or neither.
    """
    if not path.is_file():
        raise MediaError(f"{path.name} is not there any more.")
    if path.stat().st_size == 0:
        raise MediaError(f"{path.name} is empty; leave it out.")
    try:
        with av.open(str(path), metadata_errors="replace") as container:
            for stream in container.streams.video:
                if not stream.disposition & av.stream.Disposition.attached_pic:
                    return MediaKind.FOOTAGE
            if container.streams.audio:
                return MediaKind.SONG
    except (av.FFmpegError, ValueError):
        pass
    raise MediaError(f"{path.name} is damaged, or neither video nor sound; convert it or leave it out.")
