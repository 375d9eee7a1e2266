"""What a file can be used as."""

from pathlib import Path

import av

from epiphane.document.model import FootageKind
from epiphane.errors import MediaError
from epiphane.media.still import is_still


def kind_of(path: Path) -> FootageKind:
    """Return what a file can be used as: with a moving picture it is video, with one that rests a still.

    Raises
    ------
    MediaError
        If it is missing, empty, or neither picture nor sound.
    """
    if not path.is_file():
        raise MediaError(f"{path.name} is not there any more.")
    if path.stat().st_size == 0:
        raise MediaError(f"{path.name} is empty; leave it out.")
    if is_still(path):
        return FootageKind.STILL
    try:
        with av.open(str(path), metadata_errors="replace") as container:
            for stream in container.streams.video:
                if not stream.disposition & av.stream.Disposition.attached_pic:
                    return FootageKind.VIDEO
            if container.streams.audio:
                return FootageKind.SOUND
    except (av.FFmpegError, ValueError):
        pass
    raise MediaError(f"{path.name} is damaged, or neither picture nor sound; convert it or leave it out.")
