"""What a file can be used as."""

from __future__ import annotations

from pathlib import Path

import av

from epiphane.disk import short_name, why_unreadable
from epiphane.document.footage import FootageKind
from epiphane.errors import MediaError
from epiphane.media.opening import open_media
from epiphane.media.still import is_still
from epiphane.wording import tr


def kind_of(path: Path) -> FootageKind:
    """Return what a file can be used as: with a moving picture it is video, with one that rests a still.

    Raises
    ------
    MediaError
        If it is missing, empty, or neither picture nor sound.
    """
    if reason := why_unreadable(path):
        raise MediaError(tr("{name} {reason}; leave it out.", name=short_name(path), reason=reason))
    if not _is_writable_text(str(path)):
        raise MediaError(
            tr("{name} has a name that is not in UTF-8; rename the file.", name=short_name(path))
        )
    if path.stat().st_size == 0:
        raise MediaError(tr("{name} is empty; leave it out.", name=path.name))
    if is_still(path):
        return FootageKind.STILL
    try:
        with open_media(path) as container:
            for stream in container.streams.video:
                if not stream.disposition & av.stream.Disposition.attached_pic:
                    return FootageKind.VIDEO
            if container.streams.audio:
                return FootageKind.SOUND
    except (av.FFmpegError, ValueError):
        pass
    raise MediaError(
        tr("{name} is damaged, or neither picture nor sound; convert it or leave it out.", name=path.name)
    )


def _is_writable_text(name: str) -> bool:
    """Whether a project file can hold a name: Linux lets names be any bytes."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True
