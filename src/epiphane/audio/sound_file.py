"""Writing the sound of a film alone."""

from pathlib import Path

from epiphane.media.codecs import SoundCodec
from epiphane.media.writer import FilmFile, SoundTrack
from epiphane.types import Float32Array


def write_sound_file(
    path: Path, sound: Float32Array, *, codec: SoundCodec, container: str, title: str = ""
) -> None:
    """Write sound as a file of its own, whole or not at all.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2), at `epiphane.media.writer.SOUND_RATE`
    container : str
        FFmpeg's name of it.

    Raises
    ------
    MediaError
        If it cannot be written.
    """
    with FilmFile(path, container, {}) as file:
        if title:
            file.container.metadata["title"] = title
        SoundTrack(file, sound, codec).finish(until=len(sound))
