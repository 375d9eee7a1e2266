"""Moving pictures, sequences and stills written whole or not at all."""

from __future__ import annotations

import secrets
import shutil
from collections.abc import Sequence
from pathlib import Path

from epiphane.disk import flush_folder, write_atomically
from epiphane.errors import DiskError
from epiphane.exporting.drawn_frames import Plans, as_picture
from epiphane.exporting.film import Drawing, Film
from epiphane.formats.declare import AnimationOutput, PictureOutput
from epiphane.media.codecs import Animation
from epiphane.render.draw import Sources
from epiphane.types import Size
from epiphane.wording import tr


def write_animation(
    film: Film, output: AnimationOutput, drawing: Drawing, frames: Sequence[int]
) -> list[str]:
    """Write some frames as moving pictures, and return what is to be said."""
    pictures = drawing.drawn(frames, as_picture(film.depth))
    output.write(film.path, Animation(pictures, len(frames), film.own_rate), film.coding)
    return drawing.remarks


def write_pictures(film: Film, output: PictureOutput, drawing: Drawing) -> list[str]:
    """Write one still, or a folder with a picture for each frame, whole or not at all."""
    make = as_picture(film.depth)
    if not output.is_sequence:
        (picture,) = drawing.drawn([film.frames.start], make)
        write_atomically(film.path, output.encoded(picture, film.coding))
        return drawing.remarks

    def encoded(plans: Plans, level: float, sources: Sources, size: Size) -> bytes:
        return output.encoded(make(plans, level, sources, size), film.coding)

    target = film.path.absolute()
    part = target.with_name(f".{target.name[:100]}.{secrets.token_hex(6)}.part")
    suffix = f".{film.form.key.split('-')[0]}"
    try:
        part.mkdir()
        for frame, content in zip(film.frames, drawing.drawn(film.frames, encoded), strict=True):
            (part / f"{target.name}.{frame:06d}{suffix}").write_bytes(content)
        _put_in_place(part, target)
    except OSError as error:
        raise DiskError(
            tr("{path} cannot be written: {reason}.", path=target, reason=error.strerror)
        ) from None
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return drawing.remarks


def _put_in_place(part: Path, target: Path) -> None:
    """Give a folder its name; an earlier sequence there goes."""
    if target.exists():
        old = target.with_name(f"{part.name}-old")
        target.rename(old)
        part.rename(target)
        shutil.rmtree(old, ignore_errors=True)
    else:
        part.rename(target)
    flush_folder(target.parent)
